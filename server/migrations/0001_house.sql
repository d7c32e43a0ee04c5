-- Up Migration

create table settings (
  id boolean primary key default true check (id),
  organisation text not null,
  house_zone text not null,
  house_place text not null,
  sender_name text not null,
  sender_address text not null,
  reply_to text not null,
  list_id text not null,
  window_from text not null default '08:00',
  window_to text not null default '18:00',
  daily_limit integer default 3,
  tolerance_minutes integer not null default 1440,
  is_demo boolean not null default false
);

-- the demo's time: base_at at the wall-clock moment set_at, running on from there or standing still
create table demo_clock (
  id boolean primary key default true check (id),
  base_at timestamptz not null,
  set_at timestamptz not null,
  is_ticking boolean not null,
  move_to timestamptz
);

create table sites (
  id bigint generated always as identity primary key,
  name text not null unique,
  zone text not null,
  working_days integer[] not null default '{1,2,3,4,5}'
);

create table holidays (
  site_id bigint not null references sites on delete cascade,
  on_date date not null,
  name text not null,
  primary key (site_id, on_date)
);

create table departments (
  id bigint generated always as identity primary key,
  name text not null unique,
  parent_id bigint references departments
);

create table people (
  id bigint generated always as identity primary key,
  personnel_number text unique,
  name text not null,
  email text not null unique check (email = lower(email)),
  department_id bigint not null references departments,
  site_id bigint not null references sites,
  job text,
  manager_id bigint references people,
  joined_on date,
  left_on date,
  address_state text not null default 'ok' check (address_state in ('ok', 'bounced')),
  address_words text
);
create index people_by_manager on people (manager_id);
create index people_by_department on people (department_id);
create index people_by_site on people (site_id);
create index people_by_name on people (lower(name), id);

create table leaves (
  id bigint generated always as identity primary key,
  person_id bigint not null references people on delete cascade,
  from_on date not null,
  to_on date not null check (to_on >= from_on),
  cover_id bigint references people
);
create index leaves_by_person on leaves (person_id);

create table accounts (
  id bigint generated always as identity primary key,
  email text not null unique check (email = lower(email)),
  name text not null,
  role text not null check (role in ('administrator', 'trainer', 'manager', 'employee', 'auditor')),
  person_id bigint references people,
  password_hash text,
  about text
);

create table sessions (
  token_hash bytea primary key,
  account_id bigint not null references accounts on delete cascade,
  csrf text not null,
  created_at timestamptz not null default now(),
  expires_at timestamptz not null
);

create table imports (
  id bigint generated always as identity primary key,
  file_name text not null,
  taken_at timestamptz not null,
  taken_by text not null,
  added integer not null,
  changed integer not null,
  rejected integer not null
);

create table files (
  id bigint generated always as identity primary key,
  name text not null,
  type text not null,
  content bytea not null
);

create table courses (
  id bigint generated always as identity primary key,
  title text not null unique,
  code text unique,
  summary text,
  owner_id bigint references people,
  validity_months integer,
  -- maintained: the units that finishing asks for
  required_units bigint[] not null default '{}'
);

create table sections (
  id bigint generated always as identity primary key,
  course_id bigint not null references courses on delete cascade,
  position integer not null,
  title text not null
);
create index sections_by_course on sections (course_id, position);

create table units (
  id bigint generated always as identity primary key,
  section_id bigint not null references sections on delete cascade,
  position integer not null,
  kind text not null check (kind in ('page', 'link', 'file')),
  title text not null,
  required boolean not null,
  body text,
  url text,
  file_id bigint references files
);
create index units_by_section on units (section_id, position);

create table plans (
  course_id bigint primary key references courses on delete cascade,
  version integer not null,
  published_at timestamptz not null,
  published_by text,
  steps jsonb not null
);

create table plan_versions (
  course_id bigint not null references courses on delete cascade,
  version integer not null,
  published_at timestamptz not null,
  published_by text,
  steps jsonb not null,
  primary key (course_id, version)
);

create table assignments (
  id bigint generated always as identity primary key,
  person_id bigint not null references people,
  course_id bigint not null references courses,
  round integer not null default 1,
  assigned_at timestamptz not null,
  assigned_by text,
  -- the first due date; due_at is the one in force
  first_due_at timestamptz not null,
  due_at timestamptz not null,
  started_at timestamptz,
  -- units marked done, in that order
  units_done bigint[] not null default '{}',
  closed_at timestamptz,
  closed_by text check (closed_by in ('finished', 'waived', 'withdrawn')),
  closed_reason text,
  token text not null unique,
  unique (person_id, course_id, round)
);
create unique index one_open_assignment on assignments (person_id, course_id) where closed_by is null;
create index assignments_by_course on assignments (course_id, id);
create index assignments_open_due on assignments (due_at, course_id) where closed_by is null;
create index assignments_closed on assignments (closed_at, course_id) where closed_by is not null;

create table assignment_events (
  id bigint generated always as identity primary key,
  assignment_id bigint not null references assignments on delete cascade,
  type text not null,
  at timestamptz not null,
  data jsonb,
  by_whom text
);
create index events_by_assignment on assignment_events (assignment_id, at);

-- a queue without a unique key: whoever asks never waits for a planner that has just taken the same assignment
create table replan (
  id bigint generated always as identity primary key,
  assignment_id bigint not null references assignments on delete cascade
);

create table mails (
  id bigint generated always as identity primary key,
  message_id text not null unique,
  to_name text not null,
  to_address text not null,
  from_address text not null,
  reply_to text not null,
  subject text not null,
  html text not null,
  body text not null,
  sent_at timestamptz,
  delivered_at timestamptz,
  response text
);

create table notices (
  id bigint generated always as identity primary key,
  assignment_id bigint not null references assignments,
  course_id bigint not null references courses,
  person_id bigint not null references people,
  step_id text not null,
  step_name text not null,
  kind text not null,
  revision integer not null,
  occurrence integer not null,
  to_role text not null,
  gathered boolean not null,
  anchor_at timestamptz not null,
  moment timestamptz not null,
  known_at timestamptz not null,
  -- when it is, or was, decided; for a missed notice the moment that it missed
  at timestamptz not null,
  on_day date not null,
  -- when the dispatcher takes it up: null when it waits for a person, or is decided
  try_at timestamptz,
  state text not null check (state in ('planned', 'held', 'sending', 'sent', 'delivered', 'bounced', 'failed', 'skipped', 'cancelled')),
  because text,
  held_because text,
  recipient_id bigint references people,
  recipient_name text,
  sentence text,
  trace jsonb,
  attempts integer not null default 0,
  last_error text,
  lease_until timestamptz,
  decided_at timestamptz,
  sent_at timestamptz,
  mail_id bigint references mails,
  constraint one_notice unique (assignment_id, step_id, revision, occurrence, to_role)
);
create index notices_due on notices (try_at) where try_at is not null;
create index notices_cut_off on notices (lease_until) where state = 'sending';
create index notices_by_day on notices (on_day, at, id);
create index notices_by_course_day on notices (course_id, on_day, at, id);
create index notices_by_person on notices (person_id, at desc);
create index notices_last on notices (assignment_id, at desc, id desc) where state in ('sent', 'delivered', 'bounced', 'failed');
create index notices_next on notices (assignment_id, at) where state in ('planned', 'held');
create index notices_by_mail on notices (mail_id) where mail_id is not null;
create index notices_trouble on notices (state, at) where state in ('bounced', 'failed');
create index notices_waiting on notices (held_because) where state = 'held' and try_at is null;
create index notices_by_recipient on notices (recipient_id, at) where state not in ('skipped', 'cancelled');

-- what the day ribbon shows, kept by the triggers below
create table day_counts (
  on_day date not null,
  bucket text not null check (bucket in ('sent', 'planned', 'trouble', 'other')),
  count integer not null,
  primary key (on_day, bucket)
);

create function notice_bucket(state text) returns text language sql immutable parallel safe as $$
  select case
    when state in ('sent', 'delivered', 'sending') then 'sent'
    when state in ('planned', 'held') then 'planned'
    when state in ('bounced', 'failed') then 'trouble'
    else 'other'
  end
$$;

create function count_days_added() returns trigger language plpgsql as $$
begin
  insert into day_counts as c (on_day, bucket, count)
  select on_day, notice_bucket(state), count(*) from added group by 1, 2 order by 1, 2
  on conflict (on_day, bucket) do update set count = c.count + excluded.count;
  return null;
end $$;

create function count_days_removed() returns trigger language plpgsql as $$
begin
  insert into day_counts as c (on_day, bucket, count)
  select on_day, notice_bucket(state), -count(*) from removed group by 1, 2 order by 1, 2
  on conflict (on_day, bucket) do update set count = c.count + excluded.count;
  return null;
end $$;

create function count_days_changed() returns trigger language plpgsql as $$
begin
  insert into day_counts as c (on_day, bucket, count)
  select on_day, bucket, sum(n)
  from (
    select on_day, notice_bucket(state) as bucket, 1 as n from added
    union all
    select on_day, notice_bucket(state), -1 from removed
  ) moved
  group by 1, 2
  having sum(n) <> 0
  order by 1, 2
  on conflict (on_day, bucket) do update set count = c.count + excluded.count;
  return null;
end $$;

create trigger notices_added after insert on notices referencing new table as added for each statement execute function count_days_added();
create trigger notices_removed after delete on notices referencing old table as removed for each statement execute function count_days_removed();
create trigger notices_changed after update on notices referencing new table as added old table as removed for each statement execute function count_days_changed();

create table certificates (
  id bigint generated always as identity primary key,
  assignment_id bigint not null unique references assignments,
  person_id bigint not null references people,
  course_id bigint not null references courses,
  serial text not null unique,
  person_name text not null,
  course_title text not null,
  issued_on date not null,
  expires_on date,
  revoked_at timestamptz,
  -- made at finishing; one that was not kept is made again when somebody asks for it
  pdf bytea
);
create index certificates_by_person on certificates (person_id);
create index certificates_by_expiry on certificates (expires_on);
