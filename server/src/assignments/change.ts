import { dayOf, msOfTime, tellAmount, tellDate, tellDay, tellMoment, Zone } from '@nudrik/core';
import type { ActResult, AssignRequest, AssignResult, CloseRequest, ExtendRequest } from '@nudrik/contract';
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/plan.ts';
import { Refused } from '../refusal.ts';
import { insertEvents } from '../requirements/apply.ts';
import { requestReconcile } from '../requirements/queue.ts';
import { recordAct } from './acts.ts';
import { insertAssignments, lockAssignments, type LockedAssignment } from './assignments.repo.ts';
import { draftAssignments } from './preview.ts';

/** Assigns a course. The notices follow from the plan, worked out by the worker at once. */
export async function assign(deps: Deps, request: AssignRequest, byWhom: string): Promise<AssignResult> {
  return transaction(deps.db, async (client) => {
    const at = deps.clock.now();
    const draft = await draftAssignments(client, request, at);
    const stored = await insertAssignments(client, draft.assignments, byWhom);
    const ids = stored.map(({ id }) => id);
    await requestReplan(client, ids);
    await requestReconcile(client, stored.map((row) => row.person_id)); // prettier-ignore
    await announce(client, 'assignments');
    const words = `Assigned ${draft.title} to ${tellPeople(draft.assignments.map(({ person }) => draft.roster.getPerson(person).name))}.`;
    const actId = ids.length ? await recordAct(client, { kind: 'assign', at, byWhom, reason: null, words, assignments: ids.map((id) => ({ id, wasOpen: false })) }) : null; // prettier-ignore
    return { assigned: ids.length, already: draft.already.length + draft.assignments.length - ids.length, actId, words };
  });
}

/** One by name, more by number. */
export const tellPeople = (names: readonly string[]): string => (names.length === 1 ? names[0]! : tellAmount(names.length, 'people'));

/** Locks open assignments; one that is closed is refused by name. */
async function openAssignments(client: Client, ids: readonly string[]): Promise<LockedAssignment[]> {
  const found = await lockAssignments(client, ids);
  if (found.length < new Set(ids).size)
    throw new Refused('not-found', 'There is no such assignment, or not any more; nothing was changed.');
  const closed = found.find((assignment) => assignment.closed_by);
  if (closed)
    throw new Refused(
      'conflict',
      `${ids.length > 1 ? `${closed.person_name}: this` : 'This'} assignment is ${closed.closed_by} since ${tellMoment(closed.closed_at!.getTime(), Zone.of(closed.zone))}; nothing was changed.`,
    );
  return found;
}

const tellTouched = (list: readonly LockedAssignment[]): string => {
  const courses = [...new Set(list.map((a) => a.course_title))];
  return `${courses.length === 1 ? courses[0]! : tellAmount(list.length, 'assignments')} of ${tellPeople([...new Set(list.map((a) => a.person_name))])}`;
};

/** Moves the due date of one assignment or many; what hangs on it moves with it. */
export async function extend(deps: Deps, request: ExtendRequest, byWhom: string): Promise<ActResult> {
  return transaction(deps.db, async (client) => {
    const list = await openAssignments(client, request.assignmentIds);
    const now = deps.clock.now();
    const dueAtOf = (a: LockedAssignment): number => Zone.of(a.zone).toInstant(dayOf(request.dueOn), msOfTime(request.dueTime));
    for (const assignment of list) {
      const zone = Zone.of(assignment.zone);
      const dueAt = dueAtOf(assignment);
      const whose = list.length > 1 ? ` of ${assignment.person_name}` : '';
      if (dueAt <= now)
        throw new Refused('wrong-input', `dueOn: the new due date ${tellMoment(dueAt, zone)} has passed; it is ${tellMoment(now, zone)}. Nothing was changed.`); // prettier-ignore
      if (dueAt <= assignment.due_at.getTime())
        throw new Refused('wrong-input', `dueOn: the new due date ${tellMoment(dueAt, zone)} is not after the one${whose} in force, ${tellMoment(assignment.due_at.getTime(), zone)}. Nothing was changed.`); // prettier-ignore
    }
    const ids = list.map(({ id }) => id);
    await client.query('update assignments a set due_at = r.due_at from unnest($1::bigint[], $2::timestamptz[]) as r (id, due_at) where a.id = r.id', [ids, list.map((a) => new Date(dueAtOf(a)))]); // prettier-ignore
    await insertEvents(client, list.map((a) => ({ id: a.id, type: 'extended', data: { dueAt: new Date(dueAtOf(a)).toISOString(), reason: request.reason } })), now, byWhom); // prettier-ignore
    await requestReplan(client, ids);
    await announce(client, 'assignments');
    const words = `Extended ${tellTouched(list)} to ${tellDay(dayOf(request.dueOn))}.`;
    return { words, actId: await recordAct(client, { kind: 'extend', at: now, byWhom, reason: request.reason, words, assignments: ids.map((id) => ({ id, wasOpen: true })) }) }; // prettier-ignore
  });
}

/** Waives or withdraws one assignment or many: what is unsent is cancelled. A waiver may have a last day. */
export async function close(deps: Deps, how: 'waived' | 'withdrawn', request: CloseRequest, byWhom: string): Promise<ActResult> {
  return transaction(deps.db, async (client) => {
    const list = await openAssignments(client, request.assignmentIds);
    const now = deps.clock.now();
    const { reason } = request;
    const until = how === 'waived' ? request.until : null;
    for (const { zone } of list)
      if (until !== null && dayOf(until) < Zone.of(zone).dayAt(now))
        throw new Refused('wrong-input', `until: ${tellDate(dayOf(until))} has passed, so the waiver would have ended already. Expected a later day; nothing was changed.`); // prettier-ignore
    const ids = list.map(({ id }) => id);
    await client.query(
      'update assignments set closed_by = $2::text, closed_at = $3::timestamptz, closed_reason = $4::text, closed_because = $5::text, waived_until = $6::date where id = any($1::bigint[])',
      [ids, how, new Date(now), reason, how === 'withdrawn' ? 'by-hand' : null, until],
    );
    await insertEvents(client, ids.map((id) => ({ id, type: how, data: { reason, until } })), now, byWhom); // prettier-ignore
    await requestReplan(client, ids);
    await requestReconcile(client, list.map((a) => a.person_id)); // prettier-ignore
    await announce(client, 'assignments');
    const words = `${how === 'waived' ? 'Waived' : 'Withdrew'} ${tellTouched(list)}${until ? ` until ${tellDate(dayOf(until))}` : ''}.`;
    return { words, actId: await recordAct(client, { kind: how === 'waived' ? 'waive' : 'withdraw', at: now, byWhom, reason, words, assignments: ids.map((id) => ({ id, wasOpen: true })) }) }; // prettier-ignore
  });
}
