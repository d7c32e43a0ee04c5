import { tellAmount } from '@nudrik/core';
import type { ActResult, WaiverAnswer, WaiverAsk, WaiverRequestView } from '@nudrik/contract';
import { announce, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { closeIn, openAssignments, tellTouched } from './change.ts';
import { answerWaiverRow, insertWaivers, listWaiverRows, lockWaiver } from './waivers.repo.ts';

/** An answer in words alone: nothing that could be taken back. */
const said = (words: string): ActResult => ({ actId: null, words, undoUntil: null, settlesAt: null });

/** Asks the office to waive assignments; what is asked for already is not asked twice. */
export async function askWaiver(
  deps: Deps,
  { assignmentIds, reason }: WaiverAsk,
  byWhom: string,
  person: string | null,
): Promise<ActResult> {
  return transaction(deps.db, async (client) => {
    const list = await openAssignments(client, assignmentIds);
    const made = await insertWaivers(client, { assignments: list.map(({ id }) => id), at: deps.clock.now(), byWhom, person, reason });
    await announce(client, 'waivers');
    if (made === 0) return said('It was asked for already, and waits for an answer.');
    const before = list.length - made;
    const known = before > 0 ? ` Of ${tellAmount(before, 'assignments')} it was asked for already.` : '';
    return said(`Asked to waive ${tellTouched(list)}.${known} The training office answers.`);
  });
}

export const listWaivers = async (db: Queryable): Promise<WaiverRequestView[]> =>
  (await listWaiverRows(db)).map((row) => ({
    id: row.id,
    assignmentId: row.assignment_id,
    person: { id: row.person_id, name: row.person },
    course: { id: row.course_id, title: row.title },
    dueAt: row.due_at.toISOString(),
    reason: row.reason,
    askedAt: row.asked_at.toISOString(),
    askedBy: row.asked_by,
    answer: row.answered_at && { at: row.answered_at.toISOString(), byWhom: row.answered_by!, isWaived: row.is_waived!, words: row.answer },
  }));

/** Answers a request: waives the assignment, on the record as any other waiver and to be taken back as one; or says no. */
export async function answerWaiver(deps: Deps, id: string, { isWaived, words, until }: WaiverAnswer, byWhom: string): Promise<ActResult> {
  return transaction(deps.db, async (client) => {
    const row = await lockWaiver(client, id);
    if (!row) throw new Refused('not-found', 'There is no such request.');
    if (row.answered_at) throw new Refused('conflict', `${row.answered_by} answered it already. Nothing was changed.`);
    await answerWaiverRow(client, id, { at: deps.clock.now(), byWhom, isWaived, words: words ?? null });
    await announce(client, 'waivers');
    if (!isWaived) return said(`${row.asked_by} reads that it is not waived.`);
    const request = { assignmentIds: [row.assignment_id], reason: `${row.asked_by} asked: ${row.reason}`, told: words, until };
    return closeIn(deps, client, 'waived', request, byWhom);
  });
}
