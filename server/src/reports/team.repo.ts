import type { TeamView } from '@nudrik/contract';
import { daysLate, Zone } from '@nudrik/core';
import { oneRow, rows, type Queryable } from '../db/db.ts';
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
  last.step_name as last_name, last.at as last_at, last.state as last_state
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
order by a.due_at, p.name
`;

const GET_MANAGER = `
select p.id, p.name, s.zone
from people p
join sites s on s.id = p.site_id
where p.id = $1::bigint
`;

/** A manager's people down the whole line: what is late and what is in progress. */
export async function teamOf(db: Queryable, managerId: string, now: number, today: string): Promise<TeamView> {
  const manager = await oneRow<{ id: string; name: string; zone: string }>(db, GET_MANAGER, [managerId]);
  const line = (await rows<{ id: string }>(db, LIST_LINE, [managerId, today])).map(({ id }) => id);
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
    }
  >(db, LIST_TEAM, [line]);
  const [counts, found] = await Promise.all([counted, listed]);
  return {
    manager,
    people: line.length,
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
    })),
  };
}
