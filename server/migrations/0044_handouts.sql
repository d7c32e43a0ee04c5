-- Up Migration

-- Files that go with messages, attached or as a personal download. One that is replaced keeps its number: whoever opens it then gets what is right now.
create table handouts (
  id bigint generated always as identity primary key,
  course_id bigint not null references courses on delete cascade,
  version integer not null default 1
);
create index handouts_of on handouts (course_id);
create table handout_files (
  handout_id bigint not null references handouts on delete cascade,
  version integer not null,
  file_id bigint not null references files,
  put_at timestamptz not null,
  put_by text not null,
  primary key (handout_id, version)
);
create unique index handout_files_file on handout_files (file_id);
alter table files drop constraint files_purpose_check,
  add constraint files_purpose_check check (purpose in ('house', 'course', 'proof', 'letter', 'logo', 'handout'));

-- What went with a message: each file with its version, attached or to be downloaded. Null: nothing.
alter table messages add column files jsonb;

-- A file that one reader may open. The token is known by itself; what opens is its signature, which stands in no database.
create table downloads (
  token text primary key,
  handout_id bigint not null references handouts on delete cascade,
  notice_id bigint references notices on delete cascade,
  person_id bigint references people on delete cascade,
  to_name text not null,
  to_address text not null,
  until timestamptz not null,
  -- how often; null is as often as they like
  times integer,
  used integer not null default 0,
  may_ask boolean not null,
  -- digest of what the device keeps that opened it first: no other opens it afterwards
  holder bytea,
  asked integer not null default 0
);
create index downloads_of on downloads (notice_id);
create index downloads_person on downloads (person_id);
create table download_uses (
  id bigint generated always as identity primary key,
  token text not null references downloads on delete cascade,
  at timestamptz not null,
  version integer not null
);
create index download_uses_of on download_uses (token, at);
