-- Up Migration

-- The lists of a course as of a day that has passed: quick in a large house.

create index intervals_by_course on assignment_intervals (course_id);

-- one look tells whether an assignment was told, without its rows
drop index notices_last;
create index notices_last on notices (assignment_id, sent_at desc, id desc) include (to_role, state, step_id) where sent_at is not null;

-- as before; a course asked for finds its assignments and their stretches alike
create or replace function assignments_at(moment timestamptz, by_then boolean) returns table (
  id bigint, person_id bigint, course_id bigint, round integer, assigned_at timestamptz, due_at timestamptz, started_at timestamptz, closed_by text,
  closed_at timestamptz, closed_because text, completed_on date, waived_until date, serial text
) language sql stable as $$
  select
    a.id, a.person_id, a.course_id, a.round, a.assigned_at, i.due_at, case when i.started_at < moment then i.started_at end, i.closed_by, i.closed_at,
    i.closed_because, i.completed_on, i.waived_until, (select c.serial from certificate_at(a.id, moment, by_then) c where i.closed_by = 'finished')
  from assignment_intervals i
  join assignments a on a.id = i.assignment_id and a.course_id = i.course_id
  where i.from_at < moment
    and (i.to_at is null or i.to_at >= moment)
    and case when by_then then i.is_then else i.is_now end
    and i.closed_because is distinct from 'undone'
$$;

-- From when until when a requirement asked for an assignment: `assignment_reasons` has those of now, and forgets.
create table reason_times (
  assignment_id bigint not null references assignments on delete cascade,
  requirement_id bigint not null references requirements,
  from_at timestamptz not null,
  to_at timestamptz,
  primary key (assignment_id, requirement_id, from_at)
);
create unique index one_reason on reason_times (assignment_id, requirement_id) where to_at is null;
create index reason_times_by_requirement on reason_times (requirement_id);
-- what fell away before nobody kept
insert into reason_times (assignment_id, requirement_id, from_at) select assignment_id, requirement_id, since from assignment_reasons;
create function keep_reasons() returns trigger language plpgsql as $$
begin
  insert into reason_times (assignment_id, requirement_id, from_at)
  select n.assignment_id, n.requirement_id, n.since
  from added n
  where not exists (
    select from reason_times r where r.assignment_id = n.assignment_id and r.requirement_id = n.requirement_id and r.to_at is null
  )
  -- given up and asked for again at one moment
  on conflict (assignment_id, requirement_id, from_at) do update set to_at = null;
  return null;
end $$;
create trigger reasons_kept after insert on assignment_reasons referencing new table as added for each statement execute function keep_reasons();

-- How many assignments stood how at the end of a day, as it was known then: of a course by department and site, and of a
-- requirement of it in all. Counted after the sums of the day; a page counts one by one until then.
create table asked_sums (
  day date not null,
  course_id bigint not null references courses on delete cascade,
  -- 0 is whoever was asked; then department and site say where they were, else these are 0
  requirement_id bigint not null,
  department_id bigint not null,
  site_id bigint not null,
  in_progress integer not null,
  not_started integer not null,
  late integer not null,
  finished integer not null,
  finished_people integer not null,
  finished_late integer not null,
  waived integer not null,
  primary key (day, course_id, requirement_id, department_id, site_id)
);
create index asked_sums_by_requirement on asked_sums (day, requirement_id) where requirement_id > 0;
create table days_asked (day date primary key);

create or replace function forget_day_sums() returns trigger language plpgsql as $$
begin
  delete from day_sums;
  delete from days_summed;
  delete from asked_sums;
  delete from days_asked;
  return null;
end $$;
create or replace function forget_changed_validity() returns trigger language plpgsql as $$
begin
  if exists (select from added n join removed o on o.id = n.id where n.validity is distinct from o.validity) then
    delete from day_sums;
    delete from days_summed;
    delete from asked_sums;
    delete from days_asked;
  end if;
  return null;
end $$;
-- by the moment that is asked about, and not by the one for which a notice was planned, which a column of that name has
create or replace function last_notice_at(assignment bigint, moment timestamptz, by_then boolean)
returns table (id bigint, step_name text, at timestamptz, state text) language sql stable rows 1 as $$
  select n.id, n.step_name, n.sent_at, outcome_at(n, $2, by_then)
  from notices n
  where n.assignment_id = assignment
    and n.sent_at < $2
    and n.state in ('sent', 'delivered', 'bounced')
  order by n.sent_at desc, n.id desc
  limit 1
$$;

-- somebody said that what an address did not take is left
alter table hook_calls add column left_at timestamptz, add column left_by text;
