import { dayOf, msOfTime, tellMoment, Zone } from '@nudrik/core';
import type { AssignRequest, AssignResult, ExtendRequest } from '@nudrik/contract';
import { announce, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/plan.ts';
import { Refused } from '../refusal.ts';
import { insertAssignments, insertEvent, lockAssignment, type LockedAssignment } from './assignments.repo.ts';
import { draftAssignments } from './preview.ts';

/** Assigns a course. The notices follow from the plan, worked out by the worker at once. */
export async function assign(deps: Deps, request: AssignRequest, byWhom: string): Promise<AssignResult> {
  return transaction(deps.db, async (client) => {
    const draft = await draftAssignments(client, request, deps.clock.now());
    const ids = await insertAssignments(client, draft.assignments, byWhom);
    await requestReplan(client, ids);
    await announce(client, 'assignments');
    return { assigned: ids.length, already: draft.already.length + draft.assignments.length - ids.length };
  });
}

async function openAssignment(client: Parameters<typeof lockAssignment>[0], id: string): Promise<LockedAssignment> {
  const assignment = await lockAssignment(client, id);
  if (!assignment) throw new Refused('not-found', 'There is no such assignment, or not any more.');
  if (assignment.closed_by)
    throw new Refused(
      'conflict',
      `This assignment is ${assignment.closed_by} since ${tellMoment(assignment.closed_at!.getTime(), Zone.of(assignment.zone))}; nothing was changed.`,
    );
  return assignment;
}

/** Moves the due date; what hangs on it moves with it. */
export async function extend(deps: Deps, id: string, request: ExtendRequest, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const assignment = await openAssignment(client, id);
    const zone = Zone.of(assignment.zone);
    const now = deps.clock.now();
    const dueAt = zone.toInstant(dayOf(request.dueOn), msOfTime(request.dueTime));
    if (dueAt <= now)
      throw new Refused(
        'wrong-input',
        `dueOn: the new due date ${tellMoment(dueAt, zone)} has passed; it is ${tellMoment(now, zone)}. Nothing was changed.`,
      );
    if (dueAt <= assignment.due_at.getTime())
      throw new Refused(
        'wrong-input',
        `dueOn: the new due date ${tellMoment(dueAt, zone)} is not after the one in force, ${tellMoment(assignment.due_at.getTime(), zone)}. Nothing was changed.`,
      );
    await client.query('update assignments set due_at = $2::timestamptz where id = $1::bigint', [id, new Date(dueAt)]);
    await insertEvent(client, id, 'extended', now, { dueAt: new Date(dueAt).toISOString(), reason: request.reason }, byWhom);
    await requestReplan(client, [id]);
    await announce(client, 'assignments');
  });
}

/** Waives or withdraws: what is unsent is cancelled. */
export async function close(deps: Deps, id: string, how: 'waived' | 'withdrawn', reason: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    await openAssignment(client, id);
    const now = deps.clock.now();
    await client.query(
      'update assignments set closed_by = $2::text, closed_at = $3::timestamptz, closed_reason = $4::text where id = $1::bigint',
      [id, how, new Date(now), reason],
    );
    await insertEvent(client, id, how, now, { reason }, byWhom);
    await requestReplan(client, [id]);
    await announce(client, 'assignments');
  });
}
