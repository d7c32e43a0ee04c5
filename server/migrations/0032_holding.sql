-- Up Migration

-- Somebody holds messages: everything, those of a plan, a course, a department, a person. Who, why and how it ended stays here.
create table holds (
  id bigint generated always as identity primary key,
  scope text not null check (scope in ('everything', 'plan', 'course', 'department', 'person')),
  -- a course for a plan, or the course, department or person itself; it may be gone by now, its name stays
  of_id bigint check ((of_id is null) = (scope = 'everything')),
  name text not null,
  until_on date,
  reason text not null,
  made_at timestamptz not null,
  made_by text not null,
  ended_at timestamptz,
  ended_by text,
  -- its messages were sent, were let pass, it was changed for another one, or its day came
  ended_how text check (ended_how in ('send', 'let-pass', 'changed', 'passed')),
  check ((ended_at is null) = (ended_how is null))
);
create unique index holds_standing on holds (scope, coalesce(of_id, 0)) where ended_at is null;
create index holds_ended on holds (ended_at desc, id desc) where ended_at is not null;

-- what waits for a hold to end
create index notices_on_hold on notices (course_id, person_id) where state = 'held' and held_because = 'on-hold';
