-- Up Migration

-- When and where a unit takes place, for whoever has a seat.
create table training_sessions (
  id bigint generated always as identity primary key,
  course_id bigint not null references courses on delete cascade,
  unit_id bigint not null,
  title text not null,
  starts_at timestamptz not null,
  ends_at timestamptz not null,
  -- the site by whose clock it takes place, and that clock as it was
  site_id bigint not null references sites,
  zone text not null,
  place text,
  link text,
  seats integer not null check (seats between 1 and 5000),
  trainer_id bigint references people,
  made_at timestamptz not null,
  made_by text not null,
  changed_at timestamptz,
  changed_by text,
  cancelled_at timestamptz,
  cancelled_by text,
  cancelled_because text,
  -- what it was made with: an answer that was lost is asked for again
  save text unique,
  check (ends_at > starts_at)
);
create index training_sessions_by_unit on training_sessions (unit_id, starts_at);
create index training_sessions_ahead on training_sessions (starts_at) where cancelled_at is null;

-- Who comes, who waits for a seat, and who had one.
create table seats (
  id bigint generated always as identity primary key,
  session_id bigint not null references training_sessions on delete cascade,
  assignment_id bigint not null references assignments on delete cascade,
  state text not null check (state in ('seat', 'waiting', 'given-up')),
  since timestamptz not null,
  by_whom text not null,
  unique (session_id, assignment_id)
);
create index seats_by_assignment on seats (assignment_id);

alter table sign_offs add column session_id bigint references training_sessions on delete set null;
alter table sign_off_links add column session_id bigint references training_sessions on delete cascade;
