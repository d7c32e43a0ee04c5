import type { TeamView } from '@nudrik/contract';
import { daysLate, Zone } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Queryable } from '../db/db.ts';
import { ASSIGNMENT_COLUMNS, stateOf, type AssignmentDbRow } from '../people/people.repo.ts';

const LINE = `
with recursive line (id) as (
  select id from people where manager_id = $1::bigint
  union
  select p.id from line l join people p on p.manager_id = l.id
)
`;

export async function isInLineOf(db: Queryable, managerId: string, assignmentId: string): Promise<boolean> {
  return (
    (await maybeRow(db, `${LINE} select 1 as yes from assignments a join line l on l.id = a.person_id where a.id = $2::bigint`, [
      managerId,
      assignmentId,
    ])) !== null
  );
}

/** The last notice to the employee that went: what a manager asks about. */
const LAST_TO_EMPLOYEE = `
left join lateral (
  select step_name, at, state
  from notices
  where assignment_id = a.id
    and state in ('sent', 'delivered', 'bounced', 'failed')
    and to_role = 'employee'
  order by at desc, id desc
  limit 1
) last on true
`;

/** The last notice that went, and the next one that is planned; by index, for the rows of a page only. */
export const LAST_AND_NEXT = `
left join lateral (
  select id, step_name, at, state
  from notices
  where assignment_id = a.id
    and state in ('sent', 'delivered', 'bounced', 'failed')
  order by at desc, id desc
  limit 1
) last on true
left join lateral (
  select id, step_name, at
  from notices
  where assignment_id = a.id
    and state in ('planned', 'held')
  order by at
  limit 1
) next on true
`;

const LIST_TEAM = `
${LINE}
select ${ASSIGNMENT_COLUMNS}, p.id as person_id, p.name as person_name, p.job, m.name as reports_to, m.id as manager_id, s.zone,
  last.step_name as last_name, last.at as last_at, last.state as last_state
from line l
join people p on p.id = l.id
join assignments a on a.person_id = p.id and a.closed_by is null
join courses k on k.id = a.course_id
join sites s on s.id = p.site_id
left join people m on m.id = p.manager_id
left join certificates c on c.assignment_id = a.id
${LAST_TO_EMPLOYEE}
order by a.due_at, p.name
`;

/** A manager's people down the whole line: what is late and what is in progress. */
export async function teamOf(db: Queryable, managerId: string, now: number): Promise<TeamView> {
  const manager = await oneRow<{ id: string; name: string; zone: string }>(
    db,
    'select p.id, p.name, s.zone from people p join sites s on s.id = p.site_id where p.id = $1::bigint',
    [managerId],
  );
  const { people } = await oneRow<{ people: number }>(db, `${LINE} select count(*)::integer as people from line`, [managerId]);
  const found = await rows<
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
  >(db, LIST_TEAM, [managerId]);
  return {
    manager,
    people,
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
