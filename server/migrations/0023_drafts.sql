-- Up Migration

-- A course is written as a draft, goes live, and is retired. What changes of a live one stands in `course_drafts` until it is published.
alter table courses
  add column state text not null default 'live' check (state in ('draft', 'live', 'retired')),
  add column live_at timestamptz,
  add column live_by text,
  add column retired_at timestamptz,
  add column retired_by text,
  add column finish jsonb not null default '{"kind": "all"}',
  -- maintained: of the required units so many are enough; null is all of them
  add column needed integer,
  -- counts each save, publishing and dropping of what is written: a save over a newer one is refused
  add column written integer not null default 0,
  -- whether finishing is certified; null is not decided
  add column certificate text default 'issued' check (certificate in ('issued', 'none'));
alter table course_versions add column needed integer;

alter table units
  add column weight integer not null default 1,
  -- when it opens; null is at once
  add column release jsonb;

create table course_drafts (
  course_id bigint primary key references courses on delete cascade,
  content jsonb not null,
  -- the last save: one whose answer was lost may come again
  save text,
  saved_at timestamptz not null,
  saved_by text not null
);

-- who has a course open to write in it
create table course_editors (
  course_id bigint not null references courses on delete cascade,
  account_id bigint not null references accounts on delete cascade,
  since timestamptz not null,
  seen_at timestamptz not null,
  primary key (course_id, account_id)
);

-- units that open by time alone, until they have: the worker records it at its moment
create table openings (
  assignment_id bigint not null references assignments on delete cascade,
  unit_id bigint not null,
  opens_at timestamptz not null,
  primary key (assignment_id, unit_id)
);
create index openings_due on openings (opens_at);

-- switched on when its course goes live
alter table requirements add column on_with_course boolean not null default false;
