-- Up Migration

-- What was the case on a day that has passed: as it was known then, and as is known now.

alter table assignment_intervals
  add column closed_at timestamptz,
  -- the day of a completion that was recorded later
  add column completed_on date,
  -- the last day of a waiver
  add column waived_until date;
update assignment_intervals i
set closed_at = a.closed_at, completed_on = a.completed_on, waived_until = a.waived_until
from assignments a
where a.id = i.assignment_id
  and i.closed_by is not null
  and i.to_at is null;
-- what was taken back, recorded later or begun anew is read from its events once more
insert into unread_assignments (assignment_id)
select distinct e.assignment_id
from assignment_events e
where e.type in ('undone', 'reopened')
  or (e.type = 'finished' and e.data ? 'on')
on conflict do nothing;
-- the stretches of which the two readings tell different things
create index intervals_told_apart on assignment_intervals (from_at) where is_then <> is_now;

alter table certificates
  -- when it went on the record; `issued_on` is the day that it says
  add column issued_at timestamptz,
  -- from when on it is the one of its assignment, as is known now
  add column stands_from timestamptz not null default '-infinity',
  -- it went on the record after the day that it says
  add column is_later boolean not null default false;
update certificates c
set issued_at = e.at
from assignment_events e
where e.assignment_id = c.assignment_id
  and e.type in ('certificate-issued', 'certificate-replaced')
  and e.data ->> 'serial' = c.serial;
update certificates set issued_at = issued_on where issued_at is null;
alter table certificates alter column issued_at set not null;

create function set_stands_from() returns trigger language plpgsql as $$
begin
  if new.issued_at is null then
    new.issued_at := new.issued_on;
  end if;
  new.is_later := new.issued_at >= ((new.issued_on + 1)::timestamp at time zone coalesce((select house_zone from settings), 'UTC'));
  -- what was issued for something that was taken back never stood
  if exists (
    select from certificates c
    where c.assignment_id = new.assignment_id
      and c.id is distinct from new.id
      and (c.revoked_at is null or c.revoked_at is distinct from c.replaced_at)
  ) then
    new.stands_from := new.issued_at;
  end if;
  return new;
end $$;
create trigger certificates_stand before insert on certificates for each row execute function set_stands_from();
update certificates c
set stands_from = c.issued_at
where exists (
  select from certificates f
  where f.assignment_id = c.assignment_id
    and f.id < c.id
    and (f.revoked_at is null or f.revoked_at is distinct from f.replaced_at)
);

update certificates set is_later = issued_at >= ((issued_on + 1)::timestamp at time zone coalesce((select house_zone from settings), 'UTC'));
create index certificates_later on certificates (issued_at) where is_later;

create index person_changes_by_time on person_changes (at);

-- The sums of a day that has passed as it was known then: what was known does not change any more. Counted when they are asked for
-- first, and kept. What the other reading tells differently is counted each time.
create table day_sums (
  day date not null,
  course_id bigint not null references courses on delete cascade,
  department_id bigint not null,
  site_id bigint not null,
  current integer not null,
  asked integer not null,
  open integer not null,
  late integer not null,
  primary key (day, course_id, department_id, site_id)
);
create table days_summed (day date primary key);
-- how long a completion counts hangs on its course, and somebody who is taken away was never there
create function forget_day_sums() returns trigger language plpgsql as $$
begin
  delete from day_sums;
  delete from days_summed;
  return null;
end $$;
create function forget_changed_validity() returns trigger language plpgsql as $$
begin
  if exists (select from added n join removed o on o.id = n.id where n.validity is distinct from o.validity) then
    delete from day_sums;
    delete from days_summed;
  end if;
  return null;
end $$;
create trigger courses_sums after update on courses
  referencing old table as removed new table as added
  for each statement execute function forget_changed_validity();
create trigger departments_sums after update or delete on departments for each statement execute function forget_day_sums();
create trigger sites_sums after update or delete on sites for each statement execute function forget_day_sums();
create trigger people_sums after delete on people for each statement execute function forget_day_sums();
create trigger assignments_sums after delete on assignments for each statement execute function forget_day_sums();

-- Which certificate stands for an assignment before a moment.
create function certificate_at(assignment bigint, moment timestamptz, by_then boolean) returns setof certificates language sql stable rows 1 as $$
  select c.*
  from certificates c
  where c.assignment_id = assignment
    and case when by_then then c.issued_at < moment else c.stands_from < moment end
    and (c.replaced_at is null or c.replaced_at >= moment)
$$;

-- Assignments as they stood before a moment. One that had been taken back is none.
create function assignments_at(moment timestamptz, by_then boolean) returns table (
  id bigint, person_id bigint, course_id bigint, round integer, assigned_at timestamptz, due_at timestamptz, started_at timestamptz, closed_by text,
  closed_at timestamptz, closed_because text, completed_on date, waived_until date, serial text
) language sql stable as $$
  select
    a.id, a.person_id, a.course_id, a.round, a.assigned_at, i.due_at, case when i.started_at < moment then i.started_at end, i.closed_by, i.closed_at,
    i.closed_because, i.completed_on, i.waived_until, (select c.serial from certificate_at(a.id, moment, by_then) c where i.closed_by = 'finished')
  from assignment_intervals i
  join assignments a on a.id = i.assignment_id
  where i.from_at < moment
    and (i.to_at is null or i.to_at >= moment)
    and case when by_then then i.is_then else i.is_now end
    and i.closed_because is distinct from 'undone'
$$;

-- How people stood with courses, as `standings` has it of now.
create function standings_at(moment timestamptz, day date, by_then boolean) returns table (
  person_id bigint, course_id bigint, open_id bigint, due_at timestamptz, until date, finished boolean, started boolean, is_waived boolean,
  waived_until date
) language sql stable as $$
  select
    p.person_id, p.course_id, p.open_id, p.due_at, p.until, p.finished, p.started,
    -- of the last one that there was, and as long as it holds
    coalesce(p.waived[1] = p.last_id and p.waived[2] >= day - date '2000-01-01', false),
    case when p.waived[2] < 2147483647 then date '2000-01-01' + p.waived[2]::integer end
  from (
    select
      a.person_id, a.course_id, max(a.id) filter (where i.closed_by is null) as open_id, max(i.due_at) filter (where i.closed_by is null) as due_at,
      max(
        case
          when i.closed_by is distinct from 'finished' or c.revoked_at < moment then null
          when c.id is not null then coalesce(c.expires_on, 'infinity')
          when i.completed_on is not null and k.validity is not null then valid_until(i.completed_on, k.validity)
          else 'infinity'
        end
      ) as until,
      coalesce(bool_or(i.closed_by = 'finished'), false) as finished, coalesce(bool_or(i.closed_by is null and i.started_at < moment), false) as started,
      max(a.id) as last_id,
      max(array[a.id, coalesce(i.waived_until - date '2000-01-01', 2147483647)]) filter (where i.closed_by = 'waived') as waived
    from assignment_intervals i
    join assignments a on a.id = i.assignment_id
    join courses k on k.id = a.course_id
    left join certificates c
      on c.assignment_id = i.assignment_id
      and i.closed_by = 'finished'
      and case when by_then then c.issued_at < moment else c.stands_from < moment end
      and (c.replaced_at is null or c.replaced_at >= moment)
    where i.from_at < moment
      and (i.to_at is null or i.to_at >= moment)
      and case when by_then then i.is_then else i.is_now end
      and i.closed_because is distinct from 'undone'
    group by a.person_id, a.course_id
  ) p
$$;

-- What the record says of when people left: each day, with what took its place.
create function leavings() returns table (person_id bigint, at timestamptz, was date, left_on date, next_at timestamptz, next_on date, is_last boolean)
language sql stable as $$
  select
    c.person_id, c.at, x."from"::date, x."to"::date, lead(c.at) over w, (lead(x."to") over w)::date, lead(c.id) over w is null
  from person_changes c
  cross join lateral jsonb_to_recordset(c.changes) as x (field text, "from" text, "to" text)
  where x.field = 'leftOn'
    and c.kind in ('added', 'changed', 'returned', 'left')
  window w as (partition by c.person_id order by c.at, c.id)
$$;

-- Everyone as the roster had them before a moment: where they were, and `left_on` as it was known then, or is known now of that day.
-- Whoever was not there yet has left since ever.
create function roster_at(moment timestamptz, day date, by_then boolean) returns table (
  id bigint, name text, email text, personnel_number text, find_text text, department_id bigint, site_id bigint, manager_id bigint, left_on date
) language sql stable as $$
  with back as materialized (
    select person_id, jsonb_object_agg(field, was) as was
    from (
      select distinct on (c.person_id, x.field) c.person_id, x.field, x."from" as was
      from person_changes c
      cross join lateral jsonb_to_recordset(c.changes) as x (field text, "from" text)
      where c.at >= moment
        and c.kind in ('changed', 'returned', 'left')
        and x.field in ('department', 'site', 'managerEmail', 'leftOn')
      order by c.person_id, x.field, c.at, c.id
    ) f
    group by person_id
  ),
  -- who had an address that is another now
  addresses as materialized (
    select distinct on (x."from") x."from" as email, c.person_id
    from person_changes c
    cross join lateral jsonb_to_recordset(c.changes) as x (field text, "from" text)
    where c.at >= moment
      and x.field = 'email'
    order by x."from", c.at, c.id
  ),
  added as materialized (
    select person_id, max(at) as at from person_changes where kind = 'added' group by person_id
  ),
  -- as is known now: a day of leaving that was mended counts as mended, one that somebody came back from counts until then
  away as materialized (
    select l.person_id, min(l.left_on) filter (where l.is_last or l.next_on is null and l.next_at >= moment) as left_on
    from leavings() l
    group by l.person_id
  )
  select
    p.id, p.name, p.email, p.personnel_number, p.find_text, coalesce(d.id, p.department_id), coalesce(s.id, p.site_id),
    case when b.was ? 'managerEmail' then coalesce(o.person_id, m.id) else p.manager_id end,
    case
      -- of whom nobody recorded when they came, the day on which they joined is all that is known
      when n.person_id is null and p.joined_on > day then '-infinity'
      when n.at >= moment and (by_then or coalesce(p.joined_on, day + 1) > day) then '-infinity'
      when by_then then case when b.was ? 'leftOn' then (b.was ->> 'leftOn')::date else p.left_on end
      when g.person_id is null then p.left_on
      else g.left_on
    end
  from people p
  left join back b on b.person_id = p.id
  left join added n on n.person_id = p.id
  left join departments d on d.name = b.was ->> 'department'
  left join sites s on s.name = b.was ->> 'site'
  left join people m on m.email = b.was ->> 'managerEmail'
  left join addresses o on o.email = b.was ->> 'managerEmail'
  left join away g on g.person_id = p.id
$$;

alter table deliveries
  -- when a report of what became of it came
  add column reported_at timestamptz;

-- What became of a notice that went: before a report came it was sent, and nothing more.
create function outcome_at(n notices, moment timestamptz, by_then boolean) returns text language sql stable as $$
  select case
    when by_then and n.state in ('delivered', 'bounced') and exists (
      select from deliveries d
      where d.message_id = n.message_id
        and d.outcome = 'accepted'
        and coalesce(d.reported_at, d.delivered_at) >= moment
    ) then 'sent'
    else n.state
  end
$$;

-- The last notice about an assignment that went before a moment; what became of it as it was known then, or is known now.
create function last_notice_at(assignment bigint, moment timestamptz, by_then boolean)
returns table (id bigint, step_name text, at timestamptz, state text) language sql stable rows 1 as $$
  select n.id, n.step_name, n.sent_at, outcome_at(n, moment, by_then)
  from notices n
  where n.assignment_id = assignment
    and n.sent_at < moment
    and n.state in ('sent', 'delivered', 'bounced')
  order by n.sent_at desc, n.id desc
  limit 1
$$;
