import { addresseeOf, isRung, takenUpAt, tellRole } from '@nudrik/core';
import type { LadderView } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { loadFacts, noticesOf } from './facts.ts';

const LIST_RUNGS = `
select n.id, n.step_id, n.to_role, n.state, coalesce(n.sent_at, n.at) as at, n.recipient_name, n.sentence, n.revision, n.held_because
from notices n
where n.assignment_id = $1::bigint
  and n.step_id = any($2::text[])
  and n.state <> 'cancelled'
  and n.revision = (select max(revision) from notices where assignment_id = $1::bigint and step_id = any($2::text[]))
order by n.moment, n.id
`;
interface RungRow {
  id: string;
  step_id: string;
  to_role: string;
  state: string;
  at: Date;
  recipient_name: string | null;
  sentence: string | null;
  revision: number;
  held_because: string | null;
}

/** Where the ladder of an assignment stands: whom each rung told, or would tell as things stand, and why nobody else. */
export async function ladderOf({ db, clock }: Deps, assignmentId: string): Promise<LadderView> {
  const facts = await loadFacts(db, await getHouse(db), [assignmentId]);
  const assignment = facts.assignments.get(assignmentId);
  if (!assignment) throw new Refused('not-found', 'There is no such assignment, or not any more.');
  const rungs = (facts.plans.get(assignment.course)?.steps ?? []).filter((step) => step.on && isRung(step));
  const found = await listRungs(db, assignmentId, rungs.map(({ id }) => id)); // prettier-ignore
  const taken = takenUpAt(assignment, clock.now(), facts.roster.calendarOf(facts.roster.getPerson(assignment.person)).zone);
  return {
    rungs: found.map((row) => {
      const step = rungs.find(({ id }) => id === row.step_id)!;
      const isAhead = row.state === 'planned' || row.state === 'held';
      const at = row.at.getTime();
      const next = isAhead ? addresseeOf({ slot: { to: row.to_role, revision: row.revision }, step, assignment }, facts.roster, at, noticesOf(facts)) : null; // prettier-ignore
      return {
        step: row.step_id,
        name: step.name,
        to: tellRole(row.to_role, (id) => facts.roster.person(id)?.name),
        state: row.state,
        at: row.at.toISOString(),
        who: next ? (next.person?.name ?? next.address) : row.state === 'skipped' ? null : row.recipient_name,
        why: next
          ? [row.state === 'held' ? (row.sentence ?? '') : '', next.path.join('; ')].filter(Boolean).join(' ')
          : (row.sentence ?? ''),
        noticeId: row.id,
      };
    }),
    takenUp: taken && { by: taken.by ?? null, until: taken.until, at: new Date(taken.at).toISOString() },
  };
}

const listRungs = (db: Queryable, assignment: string, steps: readonly string[]): Promise<RungRow[]> =>
  steps.length === 0 ? Promise.resolve([]) : rows(db, LIST_RUNGS, [assignment, steps]);
