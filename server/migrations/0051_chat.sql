-- A workplace chat beside mail: who is known there by which name, and how people are told.

alter table people
  add column chat_name text,
  add column chat_state text not null default 'ok' check (chat_state in ('ok', 'refused')),
  add column chat_words text,
  -- null is as the house has it
  add column reached_by text check (reached_by in ('mail', 'chat', 'both')),
  -- all of a day at once, at this local time `HH:MM`; null is each at its own moment
  add column daily_at text check (daily_at ~ '^([01][0-9]|2[0-3]):[0-5][0-9]$');
create unique index people_chat_name on people (lower(chat_name));

alter table settings
  add column reached_by text not null default 'mail' check (reached_by in ('mail', 'chat', 'both')),
  -- told by the process that hands messages over, at its start
  add column has_chat boolean not null default false;

-- the chat did not take it: it goes by mail from now on
alter table notices add column chat_failed boolean not null default false;

-- where a course tells who finished it; null tells nobody
alter table courses add column told_in text;

-- what goes to the chat beside mail, and lines in its channels
create table chat_posts (
  id bigint generated always as identity primary key,
  -- the message that it is beside; null of a line in a channel
  message_id bigint references messages on delete cascade,
  -- the completion that it tells of
  event_id bigint references assignment_events on delete cascade,
  to_person text,
  to_channel text,
  from_name text not null,
  subject text,
  body text not null,
  -- what names the personal links in it: they are signed as it goes
  links jsonb not null default '[]',
  made_at timestamptz not null,
  state text not null default 'waiting' check (state in ('waiting', 'went', 'failed', 'dropped')),
  attempts integer not null default 0,
  try_at timestamptz,
  words text,
  went_at timestamptz,
  check ((to_person is null) <> (to_channel is null)),
  unique (message_id),
  unique (event_id)
);
create index chat_posts_due on chat_posts (try_at) where try_at is not null;

-- a completion is told in the transaction that records it, where its course wants that; what was recorded from elsewhere is not news
create function tell_completion() returns trigger language plpgsql as $$
begin
  insert into chat_posts (event_id, to_channel, from_name, body, made_at, try_at)
  select new.id, c.told_in, h.sender_name, '', new.at, new.at + h.settle_minutes * interval '1 minute'
  from assignments a
  join courses c on c.id = a.course_id
  cross join settings h
  where a.id = new.assignment_id
    and c.told_in is not null
    and h.has_chat;
  return null;
end $$;
create trigger events_tell_completion after insert on assignment_events for each row
when (new.type = 'finished' and new.data ->> 'on' is null) execute function tell_completion();

-- words that somebody wrote back in the chat
alter table conversation_posts add column by_chat boolean not null default false;
