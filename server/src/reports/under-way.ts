import { decodeEvent, EVENTS, tellEvent, Zone } from '@nudrik/core';
import { UNDER_WAY, type UnderWayQuery, type UnderWayView } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { ASSIGNMENT_COLUMNS, progressOf, stateOf, type AssignmentDbRow } from '../people/people.repo.ts';
import { Refused } from '../refusal.ts';
import { statesAt } from './states.ts';

/** People on one page, and happenings beside them. */
const STATES = statesAt('$2');
const PAGE = 100;
const HAPPENINGS = 25;
/** How far back it is looked for what happened in a course: the newest events of the whole house. */
const LOOKED_AT = 5_000;

/** Events by which somebody is in a course. */
const ACTIVE = Object.entries(EVENTS).filter(([, entry]) => 'begins' in entry).map(([type]) => `'${type}'`).join(', '); // prettier-ignore

/**
 * Where somebody was last, and when: in a unit that they were in, an attempt, or what they did.
 * @param of whom it is looked up for, where that is not everybody
 */
const last = (of = 'true'): string => `
left join lateral (
  select w.unit_id, w.at
  from (
    select w.unit_id, w.at from unit_work w where ${of} and w.assignment_id = a.id
    union all
    select q.unit_id, coalesce(q.submitted_at, q.begun_at) from quiz_attempts q where ${of} and q.assignment_id = a.id
    union all
    select (e.data ->> 'unit')::bigint, e.at
    from assignment_events e
    where ${of}
      and e.assignment_id = a.id
      and e.type in (${ACTIVE})
  ) w
  order by w.at desc, w.unit_id nulls last
  limit 1
) last on true
`;
// only who began that long ago can be stuck that long
const LONG_AGO = "a.started_at < $2::timestamptz - $3::integer * interval '1 day'";
const WAITS = 'exists (select 1 from quiz_attempts q where q.assignment_id = a.id and q.submitted_at is not null and q.is_passed is null)';
// of the packages of the course, once: who opened one that does not say that it is done
const UNFINISHED = `a.id in (
  select w.assignment_id
  from sections c
  join units u on u.section_id = c.id and u.kind = 'package'
  join unit_work w on w.unit_id = u.id
  join assignments b on b.id = w.assignment_id and b.closed_by is null
  where c.course_id = $1::bigint
    and w.package is not null
    and w.unit_id <> all(b.units_done)
)`;

/** Who is meant by each, of what is open; $2 is now, $3 how many days make somebody stuck. */
const WHO: Record<(typeof UNDER_WAY)[number], string> = {
  all: STATES.open,
  unopened: `${STATES.open} and a.started_at is null`,
  stuck: `${STATES.open} and ${LONG_AGO} and last.at < $2::timestamptz - $3::integer * interval '1 day'`,
  waiting: `${STATES.open} and ${WAITS}`,
  packages: `${STATES.open} and ${UNFINISHED}`,
  late: STATES.late,
};

const COUNT = `
select ${UNDER_WAY.map((who) => `count(*) filter (where ${WHO[who]})::integer as "${who}"`).join(',\n  ')}
from assignments a
${last(LONG_AGO)}
where a.course_id = $1::bigint
  and a.closed_by is null
`;

// what is due first stands first: where everybody was is looked up for one page alone
const listSql = (who: (typeof UNDER_WAY)[number]): string => `
select ${ASSIGNMENT_COLUMNS}, p.id as person_id, p.name as person, d.name as department, last.at as last_at, coalesce(u.title, 'the course') as last_unit,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', q.id::text, 'unit', coalesce(t.title, 'a quiz')) order by q.submitted_at), '[]')
    from quiz_attempts q
    left join units t on t.id = q.unit_id
    where q.assignment_id = a.id
      and q.submitted_at is not null
      and q.is_passed is null
  ) as waiting,
  (
    select coalesce(jsonb_agg(t.title order by t.title), '[]')
    from unit_work w
    join units t on t.id = w.unit_id and t.kind = 'package'
    where w.assignment_id = a.id
      and w.package is not null
      and w.unit_id <> all(a.units_done)
  ) as unfinished
from assignments a
join courses k on k.id = a.course_id
join people p on p.id = a.person_id
join departments d on d.id = p.department_id
left join standing_certificates c on c.assignment_id = a.id
${last()}
left join units u on u.id = last.unit_id
where a.course_id = $1::bigint
  and $2::timestamptz is not null
  and $3::integer is not null
  and ${WHO[who]}
order by a.due_at, a.id
offset $4::integer
limit ${PAGE}
`;

const HAPPENED = `
select e.id, e.type, e.at, e.data, e.by_whom, p.id as person_id, p.name as person, u.title as unit
from (
  select id, assignment_id, type, at, data, by_whom
  from assignment_events
  order by id desc
  limit ${LOOKED_AT}
) e
join assignments a on a.id = e.assignment_id
join people p on p.id = a.person_id
left join units u on u.id = (e.data ->> 'unit')::bigint
where a.course_id = $1::bigint
  and e.at <= $2::timestamptz
order by e.at desc, e.id desc
limit ${HAPPENINGS}
`;

/** The open assignments of a course that are meant by what is the matter with them. */
export async function listUnderWay(
  db: Queryable,
  { courseId, who, days }: { courseId: string; who: UnderWayQuery['who']; days: number },
  now: number,
): Promise<string[]> {
  const sql = `
    select a.id from assignments a ${last(who === 'stuck' ? LONG_AGO : 'false')}
    where a.course_id = $1::bigint and a.closed_by is null and $2::timestamptz is not null and $3::integer is not null and ${WHO[who]} order by a.id
  `;
  return (await rows<{ id: string }>(db, sql, [courseId, new Date(now), days])).map(({ id }) => id);
}

/** A course as it goes on: who is where, who opened nothing, who is stuck, who waits, and what happened last. */
export async function underWay({ db, clock }: Deps, courseId: string, { who, days, offset }: UnderWayQuery): Promise<UnderWayView> {
  const course = await maybeRow<{ id: string; title: string }>(db, 'select id, title from courses where id = $1::bigint', [courseId]);
  if (!course) throw new Refused('not-found', 'There is no such course, or not any more.');
  const now = clock.now();
  const values = [courseId, new Date(now), days];
  const counts = await oneRow<UnderWayView['counts']>(db, COUNT, values);
  const found = await rows<AssignmentDbRow & { person_id: string; person: string; department: string; last_at: Date | null; last_unit: string; waiting: { id: string; unit: string }[]; unfinished: string[] }>(db, listSql(who), [...values, offset]); // prettier-ignore
  const happened = await rows<{ id: string; type: string; at: Date; data: Record<string, unknown> | null; by_whom: string; person_id: string; person: string; unit: string | null }>(db, HAPPENED, [courseId, new Date(now)]); // prettier-ignore
  const zone = Zone.of((await getHouse(db)).zone);
  return {
    course,
    counts,
    total: counts[who],
    rows: found.map((row) => ({
      assignmentId: row.id,
      person: { id: row.person_id, name: row.person },
      department: row.department,
      state: stateOf(row, now),
      dueAt: row.due_at.toISOString(),
      ...progressOf(row),
      where: row.last_at && { unit: row.last_unit, at: row.last_at.toISOString() },
      waiting: row.waiting,
      unfinished: row.unfinished,
    })),
    activity: happened.flatMap((row) => {
      const event = decodeEvent({ id: row.id, type: row.type, at: row.at.getTime(), data: row.data } as never);
      if (!event) return [];
      const words = tellEvent(event, { course: 'the course', unit: row.unit, zone, now, takenBack: null });
      return [{ at: row.at.toISOString(), person: { id: row.person_id, name: row.person }, words: words.charAt(0).toUpperCase() + words.slice(1) }]; // prettier-ignore
    }),
  };
}
