-- Up Migration

-- Facts that are told on several pages, each worked out in one place.

-- Whether somebody is on the roster on a day: the day of leaving is the first day away.
create function is_here(left_on date, day date) returns boolean language sql immutable parallel safe as $$
  select left_on is null or left_on > day
$$;

-- Everyone below a manager, down the whole line; a loop ends where it would close.
create function line_of(manager_ids bigint[]) returns table (id bigint) language sql stable as $$
  with recursive line (id) as (
    select p.id from people p where p.manager_id = any(manager_ids)
    union
    select p.id from line l join people p on p.manager_id = l.id
  )
  select line.id from line
$$;

-- What people hold: finished and not revoked, with the last day on which it counts, null for ever.
create view held as
select
  a.person_id, a.course_id, a.id as assignment_id,
  case
    when c.id is not null then c.expires_on
    when a.completed_on is not null and k.validity_months is not null then (a.completed_on + k.validity_months * interval '1 month')::date
  end as until
from assignments a
join courses k on k.id = a.course_id
left join certificates c on c.assignment_id = a.id
where a.closed_by = 'finished'
  and c.revoked_at is null;

-- The figures of each course, the same wherever they stand. All are people: of a course nobody has two open assignments.
--   open, late, due_soon: who is here and has it open; late from the due moment on, due_soon within 7 days
--   current: who is here and holds it on that day
--   asked: who is here and has it open, or has finished it
--   finished: who has ever finished it, here or not
create function course_figures(now timestamptz, today date)
returns table (course_id bigint, open integer, late integer, due_soon integer, current integer, asked integer, finished integer)
language sql stable as $$
  with standing as (
    select
      a.course_id, a.person_id, is_here(p.left_on, today) as here, a.closed_by is null as is_open, a.due_at, a.closed_by = 'finished' as is_finished
    from assignments a
    join people p on p.id = a.person_id
    where a.closed_because is distinct from 'undone'
  ),
  holders as (
    select h.course_id, count(distinct h.person_id)::integer as current
    from held h
    join people p on p.id = h.person_id
    where is_here(p.left_on, today)
      and (h.until is null or h.until >= today)
    group by h.course_id
  )
  select
    c.id,
    count(*) filter (where s.is_open and s.here)::integer,
    count(*) filter (where s.is_open and s.here and s.due_at < now)::integer,
    count(*) filter (where s.is_open and s.here and s.due_at >= now and s.due_at < now + interval '7 days')::integer,
    coalesce(max(h.current), 0),
    count(distinct s.person_id) filter (where s.here and (s.is_open or s.is_finished))::integer,
    count(distinct s.person_id) filter (where s.is_finished)::integer
  from courses c
  left join standing s on s.course_id = c.id
  left join holders h on h.course_id = c.id
  group by c.id
$$;

-- The last notice about an assignment that went, when it went, and the next one that is planned.
create function last_notice(assignment bigint, only_employee boolean)
returns table (id bigint, step_name text, at timestamptz, state text) language sql stable rows 1 as $$
  select n.id, n.step_name, n.sent_at, n.state
  from notices n
  where n.assignment_id = assignment
    and n.sent_at is not null
    and n.state in ('sent', 'delivered', 'bounced')
    and (not only_employee or n.to_role = 'employee')
  order by n.sent_at desc, n.id desc
  limit 1
$$;

create function next_notice(assignment bigint)
returns table (id bigint, step_name text, at timestamptz, held_because text) language sql stable rows 1 as $$
  select n.id, n.step_name, n.at, case when n.state = 'held' then n.held_because end
  from notices n
  where n.assignment_id = assignment
    and n.state in ('planned', 'held')
  order by n.at
  limit 1
$$;
