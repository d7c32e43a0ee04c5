-- Up Migration

-- a session that nobody uses ends before its time
alter table sessions add column seen_at timestamptz not null default now();

-- tries to sign in, by account and by address, for all web processes together
create table sign_in_tries (
  key text primary key,
  since timestamptz not null,
  tries integer not null
);
