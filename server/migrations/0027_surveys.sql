-- Up Migration

-- What somebody answered. An anonymous answer has no assignment and no moment, and an id by chance: neither what stands beside
-- it nor its order tells whose it is. That somebody answered is an event of theirs, without what.
create table survey_answers (
  id uuid primary key default gen_random_uuid(),
  course_id bigint not null references courses on delete cascade,
  unit_id bigint not null,
  assignment_id bigint references assignments on delete cascade,
  answers jsonb not null,
  at timestamptz
);
create unique index one_survey_answer on survey_answers (unit_id, assignment_id) where assignment_id is not null;
create index survey_answers_of_unit on survey_answers (unit_id);
create index survey_answers_of_course on survey_answers (course_id);
create index survey_answers_of_assignment on survey_answers (assignment_id);
