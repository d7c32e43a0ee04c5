-- Up Migration

-- Whom a step tells of what it sent: each message by itself, or all of a day in one summary. Written with the message, told once it went.
create table copies (
  id bigint generated always as identity primary key,
  message_id bigint not null references messages on delete cascade,
  to_name text not null,
  to_address text not null,
  -- of whoever is told: the day of a summary is theirs
  zone text not null,
  is_each boolean not null,
  at timestamptz not null,
  told_at timestamptz,
  outbox_id bigint,
  unique (message_id, to_address)
);
create index copies_waiting on copies (to_address, at) where told_at is null;
-- Mail of the house that belongs to no conversation: copies.
alter table outbox alter column conversation_id drop not null;
alter table copies add constraint copies_outbox foreign key (outbox_id) references outbox on delete set null;
create index copies_outbox on copies (outbox_id);
