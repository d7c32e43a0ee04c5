-- Up Migration

alter table settings add column change_share numeric not null default 5 check (change_share between 0 and 100);

create table groups (
  id bigint generated always as identity primary key,
  name text not null unique,
  about text
);

create table group_members (
  group_id bigint not null references groups on delete cascade,
  person_id bigint not null references people on delete cascade,
  primary key (group_id, person_id)
);
create index group_members_by_person on group_members (person_id);

-- the departments of these names, with all below them
create function departments_under(names text[]) returns setof bigint language sql stable as $$
  with recursive under (id) as (
    select id from departments where name = any(names)
    union
    select d.id from under u join departments d on d.parent_id = u.id
  )
  select id from under
$$;

-- since when the job title is this one; null since ever
alter table people add column job_since date;
create index people_by_number on people (lower(personnel_number)) where personnel_number is not null;

alter table imports
  add column file_id bigint references files,
  add column returned integer not null default 0,
  add column gone integer not null default 0,
  add column source text not null default 'file' check (source in ('file', 'feed')),
  add column departments_made bigint[] not null default '{}',
  add column undone_at timestamptz,
  add column undone_by text;

-- what was changed about a person: the record, and what undoing an import goes by
create table person_changes (
  id bigint generated always as identity primary key,
  person_id bigint not null references people on delete cascade,
  at timestamptz not null,
  by_whom text not null,
  kind text not null check (kind in ('added', 'changed', 'returned', 'left', 'leave', 'group')),
  -- [{field, from, to}]
  changes jsonb not null default '[]',
  import_id bigint references imports
);
create index person_changes_by_person on person_changes (person_id, at);
create index person_changes_by_import on person_changes (import_id) where import_id is not null;

-- how a column of this name was matched the last time; null is "left out"
create table column_memory (
  header text primary key,
  field text
);

create table feed (
  id boolean primary key default true check (id),
  url text not null,
  is_on boolean not null default true,
  -- local times of the house at which it is pulled
  times text[] not null default '{06:00}',
  etag text,
  next_at timestamptz,
  last_ok_at timestamptz
);

-- each person as the feed last said: what it says again is not news, so a correction by hand stays
create table feed_rows (
  number text primary key,
  row jsonb not null
);

create table pulls (
  id bigint generated always as identity primary key,
  at timestamptz not null,
  outcome text not null check (outcome in ('unchanged', 'taken', 'held', 'failed', 'declined')),
  words text not null,
  etag text,
  -- everyone in a pull that is held: what is approved is what was shown
  people jsonb,
  rejected jsonb not null default '[]',
  import_id bigint references imports,
  decided_at timestamptz,
  decided_by text
);
create index pulls_by_time on pulls (at desc);

create table requirements (
  id bigint generated always as identity primary key,
  name text not null unique,
  course_id bigint not null references courses,
  audience jsonb not null,
  due jsonb not null,
  due_time text not null default '17:00',
  grace_days integer not null default 14 check (grace_days >= 1),
  credit_months integer check (credit_months >= 0),
  renewal jsonb,
  from_on date,
  until_on date check (until_on >= from_on),
  takes_joiners boolean not null default true,
  when_out text not null default 'ask' check (when_out in ('ask', 'withdraw', 'keep')),
  is_on boolean not null default false,
  switched_on_at timestamptz,
  version integer not null default 1,
  changed_at timestamptz not null,
  changed_by text not null
);
create index requirements_by_course on requirements (course_id);

-- of requirements without joiners: who was in when they were switched on
create table requirement_members (
  requirement_id bigint not null references requirements on delete cascade,
  person_id bigint not null references people on delete cascade,
  primary key (requirement_id, person_id)
);
create index requirement_members_by_person on requirement_members (person_id);

-- the record of a requirement: switched on, changed, switched off
create table requirement_events (
  id bigint generated always as identity primary key,
  requirement_id bigint not null references requirements on delete cascade,
  at timestamptz not null,
  by_whom text not null,
  what text not null,
  words text not null
);
create index requirement_events_by_requirement on requirement_events (requirement_id, at);

alter table assignments
  add column is_by_hand boolean not null default true,
  add column closed_because text check (closed_because in ('by-hand', 'left', 'out', 'undone')),
  add column waived_until date,
  -- an earlier completion that was recorded: the day on which it was finished, and its proof
  add column completed_on date,
  add column proof_id bigint references files;
update assignments set closed_because = 'by-hand' where closed_by = 'withdrawn';

-- why somebody has a course: the requirements that ask for it
create table assignment_reasons (
  assignment_id bigint not null references assignments on delete cascade,
  requirement_id bigint not null references requirements,
  since timestamptz not null,
  due_at timestamptz not null,
  words text not null,
  -- the person left the audience and nobody said yet what becomes of the assignment
  out_since timestamptz,
  -- somebody said that it stays
  kept_at timestamptz,
  primary key (assignment_id, requirement_id)
);
create index reasons_by_requirement on assignment_reasons (requirement_id);
create index reasons_out on assignment_reasons (out_since) where out_since is not null;

-- whose assignments have to be compared with the requirements again; a queue like replan. Neither refers: whoever is taken
-- away is passed over, and taking away neither searches the queue for each nor waits for a worker that holds a part of it
create table reconcile (
  id bigint generated always as identity primary key,
  person_id bigint not null
);
alter table replan drop constraint replan_assignment_id_fkey;

-- whole, so that taking somebody away need not read the ledger: a partial index does not serve a foreign key
drop index notices_by_recipient;
create index notices_by_recipient on notices (recipient_id, at);

-- when somebody has to be looked at again although nobody changes anything
create table wakes (
  person_id bigint primary key references people on delete cascade,
  at timestamptz not null
);
create index wakes_by_time on wakes (at);

-- what was done by hand, and what it was before: for the record, and for taking it back
create table acts (
  id bigint generated always as identity primary key,
  kind text not null check (kind in ('assign', 'extend', 'waive', 'withdraw', 'record')),
  at timestamptz not null,
  by_whom text not null,
  reason text,
  words text not null,
  -- the last event of its assignments and the last mail of the house when it was done: what is later depends on it
  last_event_id bigint not null default 0,
  last_mail_id bigint not null default 0,
  undone_at timestamptz,
  undone_by text
);
create index acts_by_time on acts (at desc);

create table act_assignments (
  act_id bigint not null references acts on delete cascade,
  assignment_id bigint not null references assignments on delete cascade,
  -- the closed assignment was open before, and this act closed or extended it
  was_open boolean not null,
  primary key (act_id, assignment_id)
);
create index act_assignments_by_assignment on act_assignments (assignment_id);

insert into reconcile (person_id) select id from people;
