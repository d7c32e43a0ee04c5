-- Up Migration

-- Letters that somebody sent to themselves to see how they read: no notices, and in no figure. Who did it, as whom, and what came of it stays.
create table test_letters (
  id bigint generated always as identity primary key,
  sent_at timestamptz not null,
  by_whom text not null,
  account_id bigint not null,
  course_id bigint not null references courses (id) on delete cascade,
  step_name text not null,
  -- as whose it was read
  read_as text not null,
  to_address text not null,
  subject text not null,
  html text not null,
  body text not null,
  outcome text not null check (outcome in ('accepted', 'refused', 'later', 'unknown')),
  answer text not null
);
create index test_letters_of_account on test_letters (account_id, sent_at);
create index test_letters_of_course on test_letters (course_id, sent_at desc, id desc);
