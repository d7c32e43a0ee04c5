-- What somebody does not want to be sent: messages of a step that may be declined, until they want them again.

create table declines (
  id bigint generated always as identity primary key,
  person_id bigint not null references people on delete cascade,
  course_id bigint not null references courses on delete cascade,
  step_id text not null,
  step_name text not null,
  at timestamptz not null,
  ended_at timestamptz
);
create unique index declines_standing on declines (person_id, course_id, step_id) where ended_at is null;
