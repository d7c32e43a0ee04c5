-- Up Migration

-- A code that an app shows (RFC 6238), beside the password. The secret is hidden by the key of the house.
create table second_factors (
  account_id bigint primary key references accounts on delete cascade,
  secret bytea not null,
  -- null while it is being set up: nothing asks for it yet
  confirmed_at timestamptz,
  -- the half minute of the last code that was taken: each opens once
  last_step bigint
);
-- for a lost phone; each opens once, only digests are kept
create table spare_codes (
  account_id bigint not null references accounts on delete cascade,
  code_hash bytea not null,
  primary key (account_id, code_hash)
);

-- who somebody is at the sign-in service: its address and its name for them (OpenID Connect: iss, sub)
alter table accounts add column subject text unique;
