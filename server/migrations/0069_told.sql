-- Up Migration

-- What became of each step of a course, counted by where its people are. As with other figures each change leaves a line that
-- says which assignment it is about, the worker looks at that assignment again, and whoever reads looks at those that wait.

-- What became of a notice, as a text that sorts the best first.
create function became(state text, because text, held_because text) returns text language sql immutable parallel safe as $$
  select case
    when state in ('sent', 'delivered') then '0told'
    when state = 'bounced' then '1bounced'
    when state = 'failed' then '2failed'
    when state = 'held' then '3held:' || coalesce(held_because, '')
    when state in ('planned', 'sending') then '4ahead'
    else '5skipped:' || coalesce(because, '')
  end
$$;

-- From when on a notice was what it is: what bounced did so later than it went, and what is open may become anything.
create function settled(state text, sent_at timestamptz, decided_at timestamptz) returns timestamptz language sql immutable parallel safe as $$
  select coalesce(
    case
      when state in ('sent', 'delivered') then sent_at
      when state in ('failed', 'skipped', 'cancelled') then decided_at
    end, 'infinity'
  )
$$;

-- One row for each assignment: the best that became of those of its notices that tell the employee, and of all by step.
create table told (
  assignment_id bigint primary key,
  course_id bigint not null,
  department_id bigint not null,
  site_id bigint not null,
  -- what closed it; empty while it is open
  closed text not null,
  own text not null,
  steps jsonb not null,
  -- from when on it was so, as far as is known of each moment since; infinity while something of it is open, or was reported later
  settled_at timestamptz not null
) with (fillfactor = 85);

create table told_counts (
  course_id bigint not null,
  -- '' is of what tells the employee at any step
  step_id text not null,
  department_id bigint not null,
  site_id bigint not null,
  closed text not null,
  best text not null,
  count integer not null,
  primary key (course_id, step_id, department_id, site_id, closed, best)
);
create index told_counts_none on told_counts (course_id) where count = 0;
create table told_lines (
  id bigint generated always as identity primary key,
  course_id bigint not null,
  assignment_id bigint not null
);

-- What the rows have to say, looked up in the notices of each assignment.
create view told_by_notices as
select
  a.id as assignment_id, a.course_id, p.department_id, p.site_id, coalesce(a.closed_by, '') as closed,
  coalesce(b.own, '6none:' || coalesce(a.closed_by, '')) as own, coalesce(b.steps, '{}') as steps,
  coalesce(b.settled_at, '-infinity') as settled_at
from assignments a
join people p on p.id = a.person_id
left join lateral (
  select jsonb_object_agg(s.step_id, s.best) as steps, min(s.own) as own, max(s.settled_at) as settled_at
  from (
    select n.step_id, min(became(n.state, n.because, n.held_because)) as best,
      min(became(n.state, n.because, n.held_because)) filter (where n.to_role = 'employee') as own,
      max(settled(n.state, n.sent_at, n.decided_at)) as settled_at
    from notices n
    where n.assignment_id = a.id
    group by n.step_id
  ) s
) b on true
where a.closed_because is distinct from 'undone';

create function told_steps(own text, steps jsonb) returns table (step_id text, best text) language sql immutable as $$
  select '', own union all select key, value from jsonb_each_text(steps)
$$;

-- How the rows of a course are at this moment.
create function told_now(course bigint) returns setof told language sql stable as $$
  with waiting as materialized (select distinct l.assignment_id from told_lines l where l.course_id = $1)
  select t.* from told t where t.course_id = $1 and not exists (select from waiting w where w.assignment_id = t.assignment_id)
  union all
  select f.* from told_by_notices f where f.assignment_id = any(array(select w.assignment_id from waiting w))
$$;

-- How the counts of a course are at this moment: what is kept, without the rows that wait and with what these are by now.
create function told_counts_now(course bigint) returns setof told_counts language sql stable as $$
  with waiting as materialized (select distinct l.assignment_id from told_lines l where l.course_id = $1)
  select k.course_id, k.step_id, k.department_id, k.site_id, k.closed, k.best, sum(k.count)::integer
  from (
    select c.* from told_counts c where c.course_id = $1
    union all
    select t.course_id, s.step_id, t.department_id, t.site_id, t.closed, s.best, -1
    from waiting w
    join told t on t.assignment_id = w.assignment_id
    cross join lateral told_steps(t.own, t.steps) s
    union all
    select f.course_id, s.step_id, f.department_id, f.site_id, f.closed, s.best, 1
    from told_by_notices f
    cross join lateral told_steps(f.own, f.steps) s
    where f.assignment_id = any(array(select w.assignment_id from waiting w))
  ) k
  group by 1, 2, 3, 4, 5, 6
  having sum(k.count) <> 0
$$;

create or replace function count_notices_added() returns trigger language plpgsql as $$
begin
  insert into notice_deltas (on_day, course_id, step_id, step_name, state, held_because, count)
  select on_day, course_id, step_id, step_name, state, coalesce(held_because, ''), count(*) from added group by 1, 2, 3, 4, 5, 6;
  insert into told_lines (course_id, assignment_id) select distinct course_id, assignment_id from added;
  return null;
end $$;
create or replace function count_notices_removed() returns trigger language plpgsql as $$
begin
  insert into notice_deltas (on_day, course_id, step_id, step_name, state, held_because, count)
  select on_day, course_id, step_id, step_name, state, coalesce(held_because, ''), -count(*) from removed group by 1, 2, 3, 4, 5, 6;
  insert into told_lines (course_id, assignment_id) select distinct course_id, assignment_id from removed;
  return null;
end $$;
create or replace function count_notices_changed() returns trigger language plpgsql as $$
begin
  insert into notice_deltas (on_day, course_id, step_id, step_name, state, held_because, count)
  select on_day, course_id, step_id, step_name, state, coalesce(held_because, ''), sum(n)
  from (select *, 1 as n from added union all select *, -1 from removed) moved
  group by 1, 2, 3, 4, 5, 6
  having sum(n) <> 0;
  insert into told_lines (course_id, assignment_id)
  select distinct n.course_id, n.assignment_id
  from added n
  join removed o on o.id = n.id
  where (became(n.state, n.because, n.held_because), settled(n.state, n.sent_at, n.decided_at))
    <> (became(o.state, o.because, o.held_because), settled(o.state, o.sent_at, o.decided_at));
  return null;
end $$;

create function tell_assignments() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into told_lines (course_id, assignment_id) select course_id, id from added;
  elsif tg_op = 'DELETE' then
    insert into told_lines (course_id, assignment_id) select course_id, id from removed;
  else
    insert into told_lines (course_id, assignment_id)
    select n.course_id, n.id
    from added n
    join removed o on o.id = n.id
    where (n.closed_by, n.closed_because = 'undone') is distinct from (o.closed_by, o.closed_because = 'undone');
  end if;
  return null;
end $$;
create trigger told_added after insert on assignments referencing new table as added for each statement execute function tell_assignments();
create trigger told_removed after delete on assignments referencing old table as removed for each statement execute function tell_assignments();
create trigger told_changed after update on assignments referencing new table as added old table as removed for each statement execute function tell_assignments();

create function tell_moved() returns trigger language plpgsql as $$
begin
  insert into told_lines (course_id, assignment_id)
  select a.course_id, a.id
  from added n
  join removed o on o.id = n.id
  join assignments a on a.person_id = n.id
  where (n.department_id, n.site_id) <> (o.department_id, o.site_id);
  return null;
end $$;
create trigger told_moved after update on people referencing new table as added old table as removed for each statement execute function tell_moved();

create function recount_told() returns void language plpgsql as $$
begin
  delete from told_lines;
  delete from told_counts;
  delete from told;
  insert into told select * from told_by_notices;
  insert into told_counts
  select t.course_id, s.step_id, t.department_id, t.site_id, t.closed, s.best, count(*)
  from told t
  cross join lateral told_steps(t.own, t.steps) s
  group by 1, 2, 3, 4, 5, 6;
end $$;
-- notices are emptied with their assignments too, and alone
create function retell() returns trigger language plpgsql as $$
begin
  perform recount_told();
  return null;
end $$;
create trigger told_emptied after truncate on notices for each statement execute function retell();

-- Looks at those again of which lines wait; one at a time, and whoever comes second goes away. Returns how many lines.
create function fold_told(batch integer) returns integer language plpgsql as $$
declare
  ids bigint[];
  folded integer;
begin
  if not pg_try_advisory_xact_lock(7308) then
    return 0;
  end if;
  with taken as (
    delete from told_lines where id in (select id from told_lines order by id limit batch) returning assignment_id
  )
  select array_agg(distinct assignment_id), count(*) into ids, folded from taken;
  if folded = 0 then
    return 0;
  end if;
  with fresh as materialized (select f.* from told_by_notices f where f.assignment_id = any(ids)),
  stale as materialized (select t.* from told t where t.assignment_id = any(ids)),
  counted as (
    insert into told_counts as c (course_id, step_id, department_id, site_id, closed, best, count)
    select m.course_id, s.step_id, m.department_id, m.site_id, m.closed, s.best, sum(m.count)
    from (
      select t.*, -1 as count from stale t
      union all
      select f.*, 1 from fresh f
    ) m
    cross join lateral told_steps(m.own, m.steps) s
    group by 1, 2, 3, 4, 5, 6
    having sum(m.count) <> 0
    on conflict (course_id, step_id, department_id, site_id, closed, best) do update set count = c.count + excluded.count
  ),
  gone as (
    delete from told t where t.assignment_id = any(ids) and not exists (select from fresh f where f.assignment_id = t.assignment_id)
  )
  insert into told as t
  select f.* from fresh f
  on conflict (assignment_id) do update set
    course_id = excluded.course_id, department_id = excluded.department_id, site_id = excluded.site_id, closed = excluded.closed,
    own = excluded.own, steps = excluded.steps, settled_at = excluded.settled_at
  where (t.department_id, t.site_id, t.closed, t.own, t.steps, t.settled_at)
    <> (excluded.department_id, excluded.site_id, excluded.closed, excluded.own, excluded.steps, excluded.settled_at);
  delete from told_counts where count = 0;
  return folded;
end $$;

-- Rows that do not say what there is: none, always; as the counts of 0012 and 0019.
create function told_astray() returns table (what text, kept integer, counted integer) language sql stable as $$
  with found as materialized (select f.* from told_by_notices f)
  select 'told of assignment ' || coalesce(t.assignment_id, f.assignment_id), t.assignment_id::integer, f.assignment_id::integer
  from told t
  full join found f using (assignment_id)
  where (t.course_id, t.department_id, t.site_id, t.closed, t.own, t.steps, t.settled_at)
    is distinct from (f.course_id, f.department_id, f.site_id, f.closed, f.own, f.steps, f.settled_at)
    and coalesce(t.assignment_id, f.assignment_id) not in (select l.assignment_id from told_lines l)
  union all
  select 'told of course ' || coalesce(k.course_id, c.course_id) || ' ' || coalesce(k.best, c.best), k.count, c.count
  from told_counts k
  full join (
    select t.course_id, s.step_id, t.department_id, t.site_id, t.closed, s.best, count(*)::integer as count
    from told t
    cross join lateral told_steps(t.own, t.steps) s
    group by 1, 2, 3, 4, 5, 6
  ) c using (course_id, step_id, department_id, site_id, closed, best)
  where k.count is distinct from c.count
$$;
alter function figures_astray() rename to counts_astray;
create function figures_astray() returns table (what text, kept integer, counted integer) language sql stable as $$
  select * from counts_astray() union all select * from told_astray()
$$;
alter function recount_figures() rename to recount_counts;
create function recount_figures() returns void language plpgsql as $$
begin
  perform recount_counts();
  perform pg_advisory_xact_lock(7308);
  perform recount_told();
end $$;

select recount_told();
create index told_by_course on told (course_id, own);

-- whose assignments they are and since when, without their rows: lists of a course as of a day look at all of them
drop index assignments_by_course;
create index assignments_by_course on assignments (course_id, closed_by, id) include (person_id, round, assigned_at);
