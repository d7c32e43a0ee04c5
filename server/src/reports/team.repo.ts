import type { TeamView } from '@nudrik/contract';
import { daysLate, takenUpAt, Zone } from '@nudrik/core';
import { getHouse } from '../house/house.ts';
import { atNow } from './as-of.ts';
import { listCells } from './cells.repo.ts';
import { listAssignmentFacts } from '../notices/facts.ts';
import { oneRow, rows, type Queryable } from '../db/db.ts';
import { getSettings } from '../house/settings.repo.ts';
import { ASSIGNMENT_COLUMNS, stateOf, type AssignmentDbRow } from '../people/people.repo.ts';

const COUNT_IN_LINE = `
select count(*)::integer as count
from assignments a
where a.id = any($2::bigint[])
  and a.person_id in (select id from line_of(array[$1::bigint]))
`;

/** Whether all of these assignments are of people in somebody's line. */
export const areInLineOf = async (db: Queryable, managerId: string, assignmentIds: readonly string[]): Promise<boolean> =>
  (await oneRow<{ count: number }>(db, COUNT_IN_LINE, [managerId, assignmentIds])).count === new Set(assignmentIds).size;

/** Assignments that the page shows: the most urgent of a large team. */
const SHOWN = 300;

const LIST_LINE = `
select id from line_here($1::bigint, $2::date)
`;

/** The people down somebody's line who are here. */
export const listLine = async (db: Queryable, managerId: string, today: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_LINE, [managerId, today])).map(({ id }) => id);

const COUNT_TEAM = `
select
  count(*)::integer as open, count(*) filter (where due_at < $2::timestamptz)::integer as late,
  count(distinct person_id) filter (where due_at < $2::timestamptz)::integer as "latePeople"
from standings
where person_id = any($1::bigint[])
  and open_id is not null
`;

const LIST_TEAM = `
select ${ASSIGNMENT_COLUMNS}, p.id as person_id, p.name as person_name, p.job, m.name as reports_to, m.id as manager_id, s.zone,
  last.step_name as last_name, last.at as last_at, last.state as last_state, w.asked_at, w.asked_by, w.reason as asked_reason, w.answered_at, w.is_waived, w.answer
from (
  select open_id as id
  from standings
  where person_id = any($1::bigint[])
    and open_id is not null
  order by due_at, open_id
  limit ${SHOWN}
) page
join assignments a on a.id = page.id
join people p on p.id = a.person_id
join courses k on k.id = a.course_id
join sites s on s.id = p.site_id
left join people m on m.id = p.manager_id
left join standing_certificates c on c.assignment_id = a.id
left join lateral last_notice(a.id, true) last on true
left join lateral (
  select *
  from waiver_requests r
  where r.assignment_id = a.id
  order by r.id desc
  limit 1
) w on true
order by a.due_at, p.name
`;

// what people hold that runs out within 90 days and is asked for again by nobody yet
const LIST_EXPIRING = `
select h.person_id, p.name, h.course_id, c.title, h.until
from standings h
join people p on p.id = h.person_id
join courses c on c.id = h.course_id
where h.person_id = any($1::bigint[])
  and h.until between $2::date and $2::date + 90
  and h.open_id is null
  and c.state <> 'retired'
order by h.until, p.name
limit 100
`;

// of a line those who are most urgent
const LIST_URGENT = `
select p.id, p.name
from (
  select person_id, count(*) filter (where open_id is not null and due_at < $2::timestamptz) as late, count(*) filter (where open_id is not null) as open
  from standings
  where person_id = any($1::bigint[])
    and (open_id is not null or until is not null or finished)
  group by person_id
  order by late desc, open desc, person_id
  limit 40
) u
join people p on p.id = u.person_id
order by u.late desc, u.open desc, p.name, p.id
`;
const LIST_TITLES = 'select id, title from courses where id = any($1::bigint[])';

/** The people of a line by courses. */
async function matrixOf(db: Queryable, line: readonly string[], now: number, zone: Zone): Promise<TeamView['matrix']> {
  const found = await rows<{ id: string; name: string }>(db, LIST_URGENT, [line, new Date(now)]);
  const cells = await listCells(db, found.map(({ id }) => id), atNow(now, zone), zone); // prettier-ignore
  const people = found.map(({ id, name }) => ({ id, name, cells: cells.get(id) ?? [] }));
  const courses = await rows<{ id: string; title: string }>(db, LIST_TITLES, [[...new Set(people.flatMap((one) => one.cells.map(({ course }) => course)))]]); // prettier-ignore
  return { courses: courses.sort((one, other) => one.title.localeCompare(other.title, 'en')), people };
}

const GET_MANAGER = `
select p.id, p.name, s.zone
from people p
join sites s on s.id = p.site_id
where p.id = $1::bigint
`;

export const findManager = (db: Queryable, id: string): Promise<TeamView['manager']> => oneRow(db, GET_MANAGER, [id]);

/** A manager's people down the whole line: what is late and what is in progress. */
export async function teamOf(db: Queryable, managerId: string, now: number, today: string): Promise<TeamView> {
  const manager = await findManager(db, managerId);
  const line = await listLine(db, managerId, today);
  const counted = oneRow<TeamView['counts']>(db, COUNT_TEAM, [line, new Date(now)]);
  const listed = rows<
    AssignmentDbRow & {
      person_id: string;
      person_name: string;
      job: string | null;
      reports_to: string | null;
      manager_id: string | null;
      zone: string;
      last_name: string | null;
      last_at: Date | null;
      last_state: string | null;
      asked_at: Date | null;
      asked_by: string | null;
      asked_reason: string | null;
      answered_at: Date | null;
      is_waived: boolean | null;
      answer: string | null;
    }
  >(db, LIST_TEAM, [line]);
  const [counts, found] = await Promise.all([counted, listed]);
  const facts = new Map((await listAssignmentFacts(db, found.map(({ id }) => id))).map((one) => [one.id, one])); // prettier-ignore
  const takenOf = (id: string, zone: Zone): TeamView['rows'][number]['takenUp'] => {
    const taken = takenUpAt(facts.get(id)!, now, zone);
    return taken && { until: taken.until, by: taken.by ?? null };
  };
  return {
    manager,
    people: line.length,
    matrix: await matrixOf(db, line, now, Zone.of((await getHouse(db)).zone)),
    mayExtendDays: (await getSettings(db)).manager_extension_days,
    expiring: (await rows<{ person_id: string; name: string; course_id: string; title: string; until: string }>(db, LIST_EXPIRING, [line, today])).map((row) => ({ person: { id: row.person_id, name: row.name }, course: { id: row.course_id, title: row.title }, until: row.until })), // prettier-ignore
    counts,
    rows: found.map((row) => ({
      assignmentId: row.id,
      person: { id: row.person_id, name: row.person_name, job: row.job },
      reportsTo: row.manager_id === managerId ? null : row.reports_to,
      course: { id: row.course_id, title: row.title },
      state: stateOf(row, now),
      dueAt: row.due_at.toISOString(),
      daysLate: daysLate(row.due_at.getTime(), now, Zone.of(row.zone)),
      unitsDone: row.done,
      unitsRequired: row.required,
      last: row.last_name ? { what: row.last_name, at: row.last_at!.toISOString(), outcome: row.last_state! } : null,
      takenUp: takenOf(row.id, Zone.of(row.zone)),
      asked: row.asked_at && {
        at: row.asked_at.toISOString(),
        byWhom: row.asked_by!,
        reason: row.asked_reason!,
        answer: row.answered_at && { isWaived: row.is_waived!, words: row.answer },
      },
    })),
  };
}
