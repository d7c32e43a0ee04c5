import { dateOf, NEWLY_LATE_DAYS, tellMoment, Zone } from '@nudrik/core';
import type { TodayQuery, TodayView } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { HELD_NOW, heldAhead } from '../holding/held-ahead.sql.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from '../people/today.ts';

interface NextRow {
  at: Date;
  day: string;
  kind: string;
  step_name: string;
  courses: string[];
  count: number;
  sent: number;
  held: number;
}

// from moment to moment along the index notices_ahead: no more is read than is shown
const AHEAD = `
  state in ('planned', 'held')
    and at >= $1::timestamptz
    and on_day between $2::date and $2::date + 14
`;
const LIST_NEXT = `
with recursive ${HELD_NOW},
moments (on_day, at, kind, step_name, n) as (
  (
    select on_day, at, kind, step_name, 1
    from notices
    where ${AHEAD}
    order by on_day, at, kind, step_name
    limit 1
  )
  union all
  select x.on_day, x.at, x.kind, x.step_name, m.n + 1
  from moments m
  cross join lateral (
    select on_day, at, kind, step_name
    from notices
    where ${AHEAD}
      and (on_day, at, kind, step_name) > (m.on_day, m.at, m.kind, m.step_name)
    order by on_day, at, kind, step_name
    limit 1
  ) x
  where m.n < 12
)
select m.at, m.on_day as day, m.kind, m.step_name, array_agg(c.title order by c.title) as courses, sum(k.count)::integer as count, 0 as sent, sum(k.held)::integer as held
from moments m
cross join lateral (
  select course_id, count(*) as count, count(*) filter (where ${heldAhead('notices')}) as held
  from notices
  where state in ('planned', 'held')
    and on_day = m.on_day
    and at = m.at
    and kind = m.kind
    and step_name = m.step_name
  group by course_id
) k
join courses c on c.id = k.course_id
group by m.on_day, m.at, m.kind, m.step_name
order by m.on_day, m.at, m.kind, m.step_name
`;

// what the ribbon counts of the chosen days: what went and what is to go
const LIST_ON_DAYS = `
with recursive ${HELD_NOW}
select
  at, on_day as day, kind, step_name, array_agg(distinct title) as courses,
  sum(count)::integer as count, sum(sent)::integer as sent, sum(held)::integer as held
from (
  select on_day, at, kind, step_name, course_id, count(*) as count, 0 as sent, count(*) filter (where ${heldAhead('notices')}) as held
  from notices
  where state in ('planned', 'held')
    and on_day between $1::date and $2::date
  group by on_day, at, kind, step_name, course_id
  union all
  select on_day, at, kind, step_name, course_id, count(*), count(sent_at), 0
  from notices
  where state in ('sending', 'sent', 'delivered', 'bounced', 'failed')
    and on_day between $1::date and $2::date
  group by on_day, at, kind, step_name, course_id
) n
join courses c on c.id = n.course_id
group by on_day, at, kind, step_name
order by on_day, at, kind, step_name
limit 100
`;

const LIST_COURSES = `
select c.id, c.title, f.due_soon, f.late, f.current, f.asked
from courses c
join course_figures($1::timestamptz, $2::date) f on f.course_id = c.id
where c.state = 'live' or f.open > 0
order by c.title
`;

const LIST_NEWLY_LATE = `
select c.id, c.title, (array_agg(p.name order by p.name))[1:4] as people, count(*)::integer as count, min(a.due_at) as since
from standings a
join courses c on c.id = a.course_id
join people p on p.id = a.person_id
where a.open_id is not null
  and a.due_at < $1::timestamptz
  and a.due_at > $1::timestamptz - interval '${NEWLY_LATE_DAYS} days'
  and a.left_on > $2::date
group by c.id
order by c.title
`;

const LIST_FINISHED = `
select c.id, c.title, (array_agg(distinct p.name order by p.name))[1:4] as people, count(*)::integer as count
from assignments a
join courses c on c.id = a.course_id
join people p on p.id = a.person_id
where a.closed_by = 'finished'
  and a.closed_at >= $1::timestamptz
group by c.id
order by c.title
`;

const LIST_DAY_COUNTS =
  'select notice_bucket(state) as bucket, sum(count)::integer as count from notices_of_days where on_day = $1::date group by 1';

// what is to go today, though a hold that stands now would keep it back
const COUNT_HELD_TODAY = `
with recursive ${HELD_NOW}
select count(*)::integer as count
from notices n
where n.state in ('planned', 'held') and n.on_day = $1::date and exists (select 1 from standing) and ${heldAhead('n')}
`;

// after today: what requirements have done today stands in the ledger
const SUM_AHEAD = `
select coalesce(sum(assigned), 0)::integer as assigned, coalesce(sum(notices), 0)::integer as notices
from ahead_days
where day > $1::date
  and day between coalesce($2::date, $1::date) and coalesce($3::date, $1::date + 7)
`;

/** The day: what went and goes out, what is due and late. What needs a person is asked beside it (`needs.ts`). */
export async function todayView(deps: Deps, days: TodayQuery = {}): Promise<TodayView> {
  const { db } = deps;
  const now = deps.clock.now();
  const today = await houseToday(deps);
  const zone = Zone.of((await getHouse(db)).zone);
  const { from, to } = days;
  const at = new Date(now);
  const yesterday = zone.dayAt(now) - 1;
  const [counted, held, courses, late, finished, [ahead], next] = await Promise.all([
    rows<{ bucket: string; count: number }>(db, LIST_DAY_COUNTS, [today]),
    rows<{ count: number }>(db, COUNT_HELD_TODAY, [today]),
    rows<{ id: string; title: string; due_soon: number; late: number; current: number; asked: number }>(db, LIST_COURSES, [at, today]),
    rows<{ id: string; title: string; people: string[]; count: number; since: Date }>(db, LIST_NEWLY_LATE, [at, today]),
    rows<{ id: string; title: string; people: string[]; count: number }>(db, LIST_FINISHED, [new Date(zone.toInstant(yesterday, 0))]),
    rows<TodayView['ahead']>(db, SUM_AHEAD, [today, from ?? null, from ? (to ?? from) : null]),
    from ? rows<NextRow>(db, LIST_ON_DAYS, [from, to ?? from]) : rows<NextRow>(db, LIST_NEXT, [at, today]),
  ]);
  const counts = new Map(counted.map((row) => [row.bucket, row.count]));
  return {
    now: new Date(now).toISOString(),
    sentToday: counts.get('sent') ?? 0,
    plannedToday: counts.get('planned') ?? 0,
    heldToday: held[0]!.count,
    next: next.map((row) => ({
      at: row.at.toISOString(),
      day: row.day,
      kind: row.kind,
      stepName: row.step_name,
      courses: row.courses,
      count: row.count,
      sent: row.sent,
      held: row.held,
    })),
    courses: courses.map((row) => ({
      id: row.id,
      title: row.title,
      current: row.current,
      asked: row.asked,
      dueSoon: row.due_soon,
      late: row.late,
    })),
    newlyLate: late.map((row) => ({
      course: row.title,
      courseId: row.id,
      people: row.people,
      count: row.count,
      since: tellMoment(row.since.getTime(), zone, now),
    })),
    ahead: ahead!,
    finishedFrom: dateOf(yesterday),
    finished: finished.map((row) => ({ course: row.title, courseId: row.id, people: row.people, count: row.count })),
  };
}
