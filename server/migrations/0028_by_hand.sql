-- Up Migration

-- What somebody wrote by hand to people who have courses open. That they were reminded with it is an event of theirs, which
-- names it; it goes as a notice like any other.
create table hand_letters (
  id bigint generated always as identity primary key,
  -- of the request: the same one that comes again is done once
  key uuid not null unique,
  act_id bigint not null references acts on delete cascade,
  name text not null,
  message jsonb not null
);
create index hand_letters_of_act on hand_letters (act_id);

alter table acts drop constraint acts_kind_check;
alter table acts add constraint acts_kind_check check (kind in ('assign', 'extend', 'waive', 'withdraw', 'record', 'remind'));

-- people who help the owner of a course: steps of its plan may go to them
alter table courses add column assistants bigint[] not null default '{}';

-- who opened a package of a course, among all that was done in it
create index unit_work_of_unit on unit_work (unit_id);
