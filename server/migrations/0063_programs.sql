-- Tokens of other programs: what each may read. Of the token itself only its hash is kept.
create table api_tokens (
  id bigint generated always as identity primary key,
  name text not null,
  hash bytea not null unique,
  scopes text[] not null,
  made_by text not null,
  made_at timestamptz not null,
  until_on date,
  last_used_at timestamptz,
  ended_at timestamptz,
  ended_by text
);
