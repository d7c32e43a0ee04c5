-- Up Migration

-- What supervisors recorded: an entry is never changed. One that was wrong is corrected by another one, and stays.
create table sign_offs (
  id bigint generated always as identity primary key,
  assignment_id bigint not null references assignments on delete cascade,
  unit_id bigint not null,
  -- what was looked at, as it was then
  criteria jsonb not null,
  attended boolean not null,
  met text[] not null,
  outcome text not null check (outcome in ('met', 'not-met', 'absent')),
  remarks text,
  place text,
  on_date date not null,
  at timestamptz not null,
  by_person_id bigint references people,
  by_whom text not null,
  -- what let them sign off
  because text not null,
  -- the event that it is
  event_id bigint not null,
  -- the list that it came with: one whose answer was lost may come again
  list_key text not null,
  corrects_id bigint references sign_offs,
  corrected_at timestamptz,
  corrected_by text,
  corrected_reason text,
  unique (list_key, assignment_id, unit_id)
);
create index sign_offs_by_assignment on sign_offs (assignment_id, unit_id, id);
create index sign_offs_by_unit on sign_offs (unit_id, id desc);

-- The way in for a supervisor without an account: to one unit, until a day, or for one list.
create table sign_off_links (
  id bigint generated always as identity primary key,
  token text not null unique,
  course_id bigint not null references courses on delete cascade,
  unit_id bigint not null,
  person_id bigint not null references people on delete cascade,
  made_at timestamptz not null,
  made_by text not null,
  until timestamptz not null,
  ends_after_use boolean not null,
  used_at timestamptz,
  ended_at timestamptz
);
create index sign_off_links_by_unit on sign_off_links (unit_id);
