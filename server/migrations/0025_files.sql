-- Up Migration

-- A file stands in parts, so that one may come bit by bit, and be read from anywhere within it.
create table file_parts (
  file_id bigint not null references files on delete cascade,
  start bigint not null,
  content bytea not null,
  primary key (file_id, start)
);
-- parts are read from their midst: they are not compressed
alter table file_parts alter column content set storage external;

alter table files
  add column size bigint not null default 0,
  -- what it belongs to: a course, long work or an import, a proof; only those of courses are shown with courses
  add column purpose text not null default 'house' check (purpose in ('house', 'course', 'proof')),
  -- what was read of it: pages, width and height, the package
  add column about jsonb not null default '{}',
  add column made_from bigint references files,
  add column uploaded_at timestamptz,
  add column uploaded_by text;
insert into file_parts (file_id, start, content) select id, 0, content from files where octet_length(content) > 0;
update files set size = octet_length(content);
update files set purpose = 'course' where id in (select file_id from units where file_id is not null);
update files
set purpose = 'course'
where id in (
  select (u ->> 'fileId')::bigint
  from course_drafts d
  cross join jsonb_array_elements(d.content -> 'sections') s
  cross join jsonb_array_elements(s -> 'units') u
  where u ->> 'fileId' is not null
);
update files set purpose = 'proof' where id in (select proof_id from assignments where proof_id is not null);
alter table files drop column content;

-- one that is on its way
create table uploads (
  id text primary key,
  file_id bigint not null references files on delete cascade,
  account_id bigint not null references accounts on delete cascade,
  size bigint not null,
  came bigint not null default 0,
  -- it was looked at, and is a file of ours
  is_taken boolean not null default false,
  metadata jsonb not null,
  begun_at timestamptz not null default now(),
  last_at timestamptz not null default now()
);
create index uploads_of_account on uploads (account_id);
create index uploads_by_file on uploads (file_id);

-- what is in a package, each at its path
create table package_files (
  package_id bigint not null references files on delete cascade,
  path text not null,
  type text not null,
  content bytea not null,
  primary key (package_id, path)
);
alter table package_files alter column content set storage external;

alter table units drop constraint if exists units_kind_check;

-- where somebody is in a unit, and what they did there that is no event: played stretches of a video, the data of a package
create table unit_work (
  assignment_id bigint not null references assignments on delete cascade,
  unit_id bigint not null,
  place jsonb,
  played jsonb,
  package jsonb,
  -- by the clock of the machine: how much can have been played since
  told_at timestamptz not null default now(),
  -- by the clock of the house
  at timestamptz not null,
  primary key (assignment_id, unit_id)
);
