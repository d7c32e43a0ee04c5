import { dayOf, msOfTime, tellAmount, tellDate, tellDay, tellMoment, Zone, type AssignmentEvent } from '@nudrik/core';
import type { ActResult, AssignRequest, AssignResult, CloseRequest, ExtendRequest } from '@nudrik/contract';
import { transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { act, tellAct } from './acts.ts';
import { insertAct, touch, type NewAct } from './acts.repo.ts';
import { lockAssignments, type LockedAssignment } from './assignments.repo.ts';
import { draftAssignments } from './preview.ts';
import { makeAssignments } from './record.ts';

/** Assigns a course. The notices follow from the plan, worked out by the worker at once, and wait until the act has settled. */
export async function assign(deps: Deps, request: AssignRequest, byWhom: string, work: Work = AT_ONCE): Promise<AssignResult> {
  await work.at(0, 2);
  return transaction(deps.db, async (client) => {
    const at = deps.clock.now();
    const draft = await draftAssignments(client, request, at);
    const words = `Assigned ${draft.title} to ${tellPeople(draft.assignments.map(({ person }) => draft.roster.getPerson(person).name))}.`;
    const already = draft.already.length;
    const made: NewAct = { kind: 'assign', at, byWhom, reason: null, words };
    if (draft.assignments.length === 0) return { assigned: 0, already, ...tellAct(draft.house, made, null) };
    await work.at(1, 2);
    const actId = await insertAct(client, made);
    const stored = await makeAssignments(client, draft.assignments, at, { byWhom, act: actId });
    const ids = stored.map(({ id }) => id);
    await touch(client, actId, ids, false);
    const result = { assigned: ids.length, already: already + draft.assignments.length - ids.length, ...tellAct(draft.house, made, actId) };
    await work.finish(client, result);
    return result;
  });
}

/** One by name, more by number. */
export const tellPeople = (names: readonly string[]): string => (names.length === 1 ? names[0]! : tellAmount(names.length, 'people'));

/** Locks open assignments; one that is closed is refused by name. */
export async function openAssignments(client: Client, ids: readonly string[]): Promise<LockedAssignment[]> {
  const found = await lockAssignments(client, ids);
  if (found.length < new Set(ids).size)
    throw new Refused('not-found', 'There is no such assignment, or not any more; nothing was changed.');
  const closed = found.find((assignment) => assignment.closed_by);
  if (closed)
    throw new Refused(
      'conflict',
      `${ids.length > 1 ? `${closed.person_name}: this` : 'This'} assignment is ${closed.closed_by} since ` +
        `${tellMoment(closed.closed_at!.getTime(), Zone.of(closed.zone))}; nothing was changed.`,
    );
  return found;
}

export const tellTouched = (list: readonly LockedAssignment[]): string => {
  const courses = [...new Set(list.map((a) => a.course_title))];
  return `${courses.length === 1 ? courses[0]! : tellAmount(list.length, 'assignments')} of ${tellPeople([...new Set(list.map((a) => a.person_name))])}`;
};

/** Moves the due date of one assignment or many; what hangs on it moves with it. */
export async function extend(
  deps: Deps,
  request: ExtendRequest,
  byWhom: string,
  work: Work = AT_ONCE,
  mostDays: number | null = null,
): Promise<ActResult> {
  await work.at(0, 2);
  return transaction(deps.db, async (client) => {
    const list = await openAssignments(client, request.assignmentIds);
    const now = deps.clock.now();
    const dueAtOf = (a: LockedAssignment): number => Zone.of(a.zone).toInstant(dayOf(request.dueOn), msOfTime(request.dueTime));
    for (const assignment of list) {
      const zone = Zone.of(assignment.zone);
      const dueAt = dueAtOf(assignment);
      const whose = list.length > 1 ? ` of ${assignment.person_name}` : '';
      if (dueAt <= now)
        throw new Refused(
          'wrong-input',
          `The new due date ${tellMoment(dueAt, zone, now)} has passed; it is ${tellMoment(now, zone, now)}. Nothing was changed.`,
        );
      if (dueAt <= assignment.due_at.getTime())
        throw new Refused(
          'wrong-input',
          `The new due date ${tellMoment(dueAt, zone, now)} is not after the one${whose} in force, ` +
            `${tellMoment(assignment.due_at.getTime(), zone, now)}. Nothing was changed.`,
        );
    }
    for (const assignment of list) {
      if (mostDays === null) break;
      const zone = Zone.of(assignment.zone);
      const last = zone.dayAt(Math.max(now, assignment.due_at.getTime())) + mostDays;
      if (dayOf(request.dueOn) > last) throw new Refused('not-allowed', mostDays === 0 ? 'Managers do not move due dates here: ask the training office for a waiver, or take it up. Nothing was changed.' : `Managers move a due date by ${tellAmount(mostDays, 'days')} at the most: ${list.length > 1 ? `of ${assignment.person_name} ` : ''}to ${tellDay(last, zone.dayAt(now))}. Nothing was changed.`); // prettier-ignore
    }
    const words = `Extended ${tellTouched(list)} to ${tellDay(dayOf(request.dueOn), Zone.of(list[0]!.zone).dayAt(now))}.`;
    const { reason, told } = request;
    await work.at(1, 2);
    const result = await act(
      client,
      { kind: 'extend', at: now, byWhom, reason, words },
      list.map((a) => ({ assignment: a.id, event: { type: 'extended', at: now, dueAt: dueAtOf(a), reason, told } })),
    );
    await work.finish(client, result);
    return result;
  });
}

/** Waives or withdraws one assignment or many: what is unsent is cancelled. A waiver may have a last day. */
export async function close(
  deps: Deps,
  how: 'waived' | 'withdrawn',
  request: CloseRequest,
  byWhom: string,
  work: Work = AT_ONCE,
): Promise<ActResult> {
  await work.at(0, 2);
  return transaction(deps.db, async (client) => {
    const result = await closeIn(deps, client, how, request, byWhom, work);
    await work.finish(client, result);
    return result;
  });
}

/** The same within somebody's transaction. */
export async function closeIn(
  deps: Deps,
  client: Client,
  how: 'waived' | 'withdrawn',
  request: CloseRequest,
  byWhom: string,
  work: Work = AT_ONCE,
): Promise<ActResult> {
  const list = await openAssignments(client, request.assignmentIds);
  const now = deps.clock.now();
  const { reason, told } = request;
  const until = how === 'waived' ? request.until : null;
  for (const { zone } of list)
    if (until !== null && dayOf(until) < Zone.of(zone).dayAt(now))
      throw new Refused(
        'wrong-input',
        `The last day of the waiver, ${tellDate(dayOf(until))}, has passed, ` +
          'so the waiver would have ended already. Expected a later day; nothing was changed.',
      );
  const words = `${how === 'waived' ? 'Waived' : 'Withdrew'} ${tellTouched(list)}${until ? ` until ${tellDate(dayOf(until))}` : ''}.`;
  const event: AssignmentEvent =
    how === 'waived' ? { type: 'waived', at: now, until, reason, told } : { type: 'withdrawn', at: now, because: 'by-hand', reason, told };
  await work.at(1, 2);
  return act(
    client,
    { kind: how === 'waived' ? 'waive' : 'withdraw', at: now, byWhom, reason, words },
    list.map((a) => ({ assignment: a.id, event })),
  );
}
