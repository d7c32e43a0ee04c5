-- Up Migration

-- a colleague who looks at a course by a link, without an account
create table course_looks (
  id bigint generated always as identity primary key,
  course_id bigint not null references courses on delete cascade,
  token text not null unique,
  name text not null,
  email text not null,
  words text not null,
  by_account bigint references accounts on delete set null,
  by_whom text not null,
  made_at timestamptz not null,
  ends_at timestamptz not null,
  looked_at timestamptz
);
create index looks_of_course on course_looks (course_id);

-- what somebody remarks on a course or a unit of it; a unit that is taken out leaves its remarks
create table course_remarks (
  id bigint generated always as identity primary key,
  course_id bigint not null references courses on delete cascade,
  unit_id bigint,
  look_id bigint references course_looks on delete set null,
  text text not null,
  by_whom text not null,
  at timestamptz not null,
  done_by text,
  done_at timestamptz
);
create index remarks_of_course on course_remarks (course_id, id);
