-- Up Migration

-- What is to be known of each plan that is in force, as the worker last saw it: anew when a version is published, and each day.
create table plan_warnings (
  course_id bigint primary key references courses on delete cascade,
  version integer not null,
  seen_on date not null,
  warnings jsonb not null
);
