-- A letter by hand to a group of a course: whoever comes to be in it until a day gets it too.
create table group_letters (
  letter_id bigint primary key references hand_letters on delete cascade,
  course_id bigint not null references courses,
  -- a condition of people; null is everybody who has the course open
  only_if jsonb,
  -- the last day on which somebody who comes to be in it gets it
  until date not null,
  at timestamptz not null,
  by_whom text not null,
  -- the day of the house on which everybody was last asked about: what time and other courses change
  asked_on date,
  ended_at timestamptz,
  ended_by text
);
create index group_letters_of_course on group_letters (course_id);

-- open assignments that the letters of their course have to be asked about, in the transaction that makes or changes them
create table letter_checks (
  assignment_id bigint primary key references assignments on delete cascade,
  -- not before: of somebody who joins later, when their assignment begins
  at timestamptz not null default '-infinity'
);
create index letter_checks_due on letter_checks (at, assignment_id);

create function ask_letters_of_assignment() returns trigger language plpgsql as $$
begin
  if exists (select 1 from group_letters where course_id = new.course_id and ended_at is null) then
    insert into letter_checks (assignment_id) values (new.id) on conflict (assignment_id) do update set at = excluded.at;
  end if;
  return null;
end $$;
create trigger assignments_ask_letters after insert on assignments for each row execute function ask_letters_of_assignment();

create function ask_letters_of_person() returns trigger language plpgsql as $$
begin
  insert into letter_checks (assignment_id)
  select a.id
  from group_letters g
  join assignments a on a.course_id = g.course_id and a.person_id = new.person_id and a.closed_by is null
  where g.ended_at is null
  group by a.id
  on conflict (assignment_id) do update set at = excluded.at;
  return null;
end $$;
create trigger person_changes_ask_letters after insert on person_changes for each row execute function ask_letters_of_person();
