import { tellAmount } from '@nudrik/core';
import type { ActResult, WaiverAnswer, WaiverAsk, WaiverRequestView } from '@nudrik/contract';
import { announce, maybeRow, rows, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { close, openAssignments, tellTouched } from './change.ts';

const INSERT = `
insert into waiver_requests (assignment_id, asked_at, asked_by, person_id, reason)
select id, $2::timestamptz, $3::text, $4::bigint, $5::text
from unnest($1::bigint[]) as id
on conflict (assignment_id) where answered_at is null do nothing
returning id
`;

/** Asks the office to waive assignments; what is asked for already is not asked twice. */
export async function askWaiver(deps: Deps, { assignmentIds, reason }: WaiverAsk, byWhom: string, personId: string | null): Promise<ActResult> {
  return transaction(deps.db, async (client) => {
    const list = await openAssignments(client, assignmentIds);
    const made = await rows<{ id: string }>(client, INSERT, [list.map(({ id }) => id), new Date(deps.clock.now()), byWhom, personId, reason]);
    await announce(client, 'waivers');
    const before = list.length - made.length;
    const words = made.length === 0 ? 'It was asked for already, and waits for an answer.' : `Asked to waive ${tellTouched(list)}.${before > 0 ? ` Of ${tellAmount(before, 'assignments')} it was asked for already.` : ''} The training office answers.`;
    return { actId: null, words, undoUntil: null, settlesAt: null };
  });
} // prettier-ignore

const LIST = `
select w.id, w.assignment_id, p.id as person_id, p.name as person, c.id as course_id, c.title, a.due_at, w.reason, w.asked_at, w.asked_by,
  w.answered_at, w.answered_by, w.is_waived, w.answer
from waiver_requests w
join assignments a on a.id = w.assignment_id
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where (w.answered_at is null and a.closed_by is null) or w.answered_at is not null
order by w.answered_at desc nulls first, w.asked_at
limit 300
`;
interface Row {
  id: string;
  assignment_id: string;
  person_id: string;
  person: string;
  course_id: string;
  title: string;
  due_at: Date;
  reason: string;
  asked_at: Date;
  asked_by: string;
  answered_at: Date | null;
  answered_by: string | null;
  is_waived: boolean | null;
  answer: string | null;
}
/** What was asked for: what waits for an answer first, then what was answered, the newest first. */
export const listWaivers = async (db: Queryable): Promise<WaiverRequestView[]> =>
  (await rows<Row>(db, LIST)).map((row) => ({
    id: row.id,
    assignmentId: row.assignment_id,
    person: { id: row.person_id, name: row.person },
    course: { id: row.course_id, title: row.title },
    dueAt: row.due_at.toISOString(),
    reason: row.reason,
    askedAt: row.asked_at.toISOString(),
    askedBy: row.asked_by,
    answer: row.answered_at && { at: row.answered_at.toISOString(), byWhom: row.answered_by!, isWaived: row.is_waived!, words: row.answer },
  })); // prettier-ignore

const LOCK = 'select assignment_id, reason, asked_by, answered_at, answered_by from waiver_requests where id = $1::bigint for update';
const ANSWER = `
update waiver_requests
set answered_at = $2::timestamptz, answered_by = $3::text, is_waived = $4::boolean, answer = $5::text
where id = $1::bigint
`;

/** Answers a request: waives the assignment, or says no. */
export async function answerWaiver(deps: Deps, id: string, { isWaived, words, until }: WaiverAnswer, byWhom: string): Promise<ActResult> {
  const found = await transaction(deps.db, async (client) => {
    const row = await maybeRow<{ assignment_id: string; reason: string; asked_by: string; answered_at: Date | null; answered_by: string | null }>(client, LOCK, [id]);
    if (!row) throw new Refused('not-found', 'There is no such request.');
    if (row.answered_at) throw new Refused('conflict', `${row.answered_by} answered it already. Nothing was changed.`);
    if (!isWaived) await client.query(ANSWER, [id, new Date(deps.clock.now()), byWhom, false, words]);
    await announce(client, 'waivers');
    return row;
  });
  if (!isWaived) return { actId: null, words: `${found.asked_by} reads that it is not waived.`, undoUntil: null, settlesAt: null };
  // waived as any other: on the record, and to be taken back; answered only once that is so
  const result = await close(deps, 'waived', { assignmentIds: [found.assignment_id], reason: `${found.asked_by} asked: ${found.reason}`, told: words, until }, byWhom);
  await deps.db.query(ANSWER, [id, new Date(deps.clock.now()), byWhom, true, words]);
  return result;
} // prettier-ignore
