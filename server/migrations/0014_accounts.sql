-- Up Migration

-- Who may enter: invited by somebody, with a password of their own, ended at once.
alter table accounts
  add column made_at timestamptz not null default now(),
  add column ended_at timestamptz,
  -- when somebody last signed in
  add column seen_at timestamptz;

-- keys that are sent by mail and open once; only their digests are kept
create table account_keys (
  key_hash bytea primary key,
  account_id bigint not null references accounts on delete cascade,
  purpose text not null check (purpose in ('invitation', 'password', 'sign-in')),
  expires_at timestamptz not null,
  used_at timestamptz
);
create index account_keys_by_account on account_keys (account_id);

-- the record of accounts: invited, role changed, ended, password set
create table account_events (
  id bigint generated always as identity primary key,
  account_id bigint not null references accounts on delete cascade,
  at timestamptz not null,
  by_whom text not null,
  words text not null
);
create index account_events_by_account on account_events (account_id, id);

alter table sessions
  add column id bigint generated always as identity unique,
  -- what the browser calls itself, and where it is
  add column agent text,
  add column address text;
create index sessions_by_account on sessions (account_id);
