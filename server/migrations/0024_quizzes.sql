-- Up Migration

-- what a unit holds beside a text, an address or a file: the questions of a quiz
alter table units add column content jsonb not null default '{}';

-- one attempt at a quiz, with its questions as they were; a unit that is taken out of its course leaves them
create table quiz_attempts (
  id bigint generated always as identity primary key,
  assignment_id bigint not null references assignments on delete cascade,
  unit_id bigint not null,
  number integer not null,
  -- the questions that were drawn and where their options stand, right answers included: it never leaves the server before submission
  drawn jsonb not null,
  -- percent that passed then, and what was shown afterwards
  pass numeric not null,
  shows text not null,
  answers jsonb not null default '{}',
  begun_at timestamptz not null,
  ends_at timestamptz,
  submitted_at timestamptz,
  is_cut_off boolean not null default false,
  points numeric,
  max numeric,
  percent numeric,
  -- null while something waits to be marked
  is_passed boolean,
  marks jsonb not null default '{}',
  marked_at timestamptz,
  marked_by text,
  marked_words text,
  -- its time is over and it could not be ended: tried again then
  aside_until timestamptz,
  unique (assignment_id, unit_id, number)
);
-- nobody is in two attempts at one quiz
create unique index one_open_attempt on quiz_attempts (assignment_id, unit_id) where submitted_at is null;
create index attempts_running_out on quiz_attempts (ends_at) where submitted_at is null and ends_at is not null;
create index attempts_of_unit on quiz_attempts (unit_id, submitted_at desc) where submitted_at is not null;
create index attempts_waiting on quiz_attempts (submitted_at) where submitted_at is not null and is_passed is null;

-- attempts that a trainer gave beyond those of the quiz
create table quiz_extras (
  assignment_id bigint not null references assignments on delete cascade,
  unit_id bigint not null,
  count integer not null,
  by_whom text not null,
  at timestamptz not null,
  primary key (assignment_id, unit_id)
);
