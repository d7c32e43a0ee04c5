-- Evidence packs that were made, by the hash of their manifest: the house knows its own again.
create table evidence_packs (
  id bigint generated always as identity primary key,
  at timestamptz not null,
  by_whom text not null,
  title text not null,
  -- of when, in words
  whens text not null,
  request jsonb not null,
  files integer not null,
  bytes bigint not null,
  manifest bytea not null,
  job_id bigint references jobs on delete set null
);
create unique index evidence_packs_of_job on evidence_packs (job_id);

-- What auditors looked at, and which files were taken out of the house: one row of each for a day.
create table looks (
  id bigint generated always as identity primary key,
  account_id bigint not null,
  by_whom text not null,
  what text not null check (what in ('looked', 'took')),
  words text not null,
  on_day date not null,
  first_at timestamptz not null,
  last_at timestamptz not null,
  times integer not null default 1
);
create unique index looks_of_day on looks (account_id, on_day, what, md5(words));
create index looks_by_time on looks (last_at desc, id desc);
create index looks_by_account on looks (account_id, last_at desc, id desc);

-- the rules of a requirement in words, as they were from this event on
alter table requirement_events add column rules text[];
