import { dateOf, Zone, type Check, type HoldReason, type Instant, type LedgerEntry, type Slot } from '@nudrik/core';
import { rows, type Client, type Queryable } from '../db/db.ts';

/** A notice as the planner stores it. */
export interface NoticeInsert {
  slot: Slot;
  courseId: string;
  personId: string;
  stepName: string;
  kind: string;
  gathered: boolean;
  at: Instant;
  onDay: string;
  recipientId: string | null;
  recipientName: string | null;
  state: 'planned' | 'skipped';
  because: string | null;
  sentence: string | null;
  trace: Check[] | null;
  decidedAt: Instant | null;
}

export interface LedgerRow extends LedgerEntry {
  state: string;
  moment: Instant;
  /** what held it, or had held it when it was cancelled */
  heldBecause: HoldReason | null;
  recipientId: string | null;
  sentence: string | null;
  attempts: number;
}

const MISSED = new Set(['before-assignment', 'moment-passed']);

const LIST_LEDGER = `
select id, assignment_id, step_id, revision, occurrence, to_role, at, moment, state, because, held_because, recipient_id, sentence,
  attempts
from notices
where assignment_id = any($1::bigint[])
`;

export async function listLedger(db: Queryable, assignmentIds: readonly string[]): Promise<LedgerRow[]> {
  const found = await rows<{
    id: string;
    assignment_id: string;
    step_id: string;
    revision: number;
    occurrence: number;
    to_role: string;
    at: Date;
    moment: Date;
    state: string;
    because: string | null;
    held_because: HoldReason | null;
    recipient_id: string | null;
    sentence: string | null;
    attempts: number;
  }>(db, LIST_LEDGER, [assignmentIds]);
  return found.map((row) => ({
    id: row.id,
    assignment: row.assignment_id,
    step: row.step_id,
    revision: row.revision,
    occurrence: row.occurrence,
    to: row.to_role,
    at: row.at.getTime(),
    moment: row.moment.getTime(),
    state: row.state,
    heldBecause: row.held_because,
    recipientId: row.recipient_id,
    sentence: row.sentence,
    attempts: row.attempts,
    isMissed: row.state === 'skipped' && MISSED.has(row.because ?? ''),
    isOpen: row.state === 'planned' || row.state === 'held' || row.state === 'cancelled',
  }));
}

// UNNEST of 5,000 rows: 34,000 rows a second here, where multi-row VALUES make 22,000 and one by one 1,600
const INSERT_NOTICES = `
insert into notices (
  assignment_id, course_id, person_id, step_id, step_name, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at, at,
  on_day, try_at, state, because, recipient_id, recipient_name, sentence, trace, decided_at
)
select *
from unnest(
  $1::bigint[], $2::bigint[], $3::bigint[], $4::text[], $5::text[], $6::text[], $7::integer[], $8::integer[], $9::text[], $10::boolean[],
  $11::timestamptz[], $12::timestamptz[], $13::timestamptz[], $14::timestamptz[], $15::date[], $16::timestamptz[], $17::text[], $18::text[],
  $19::bigint[], $20::text[], $21::text[], $22::jsonb[], $23::timestamptz[]
)
on conflict on constraint one_notice do nothing
`;

// a Date costs the driver 2 µs and an ISO text 0.3 µs; the same few moments come again and again
const isoCache = new Map<number, string>();
function iso(instant: Instant): string {
  let text = isoCache.get(instant);
  if (text === undefined) {
    if (isoCache.size > 20_000) isoCache.clear();
    text = new Date(instant).toISOString();
    isoCache.set(instant, text);
  }
  return text;
}

export async function insertNotices(db: Client, list: readonly NoticeInsert[]): Promise<void> {
  for (let start = 0; start < list.length; start += 5_000) {
    const part = list.slice(start, start + 5_000);
    await db.query({
      name: 'insert-notices',
      text: INSERT_NOTICES,
      values: [
        part.map(({ slot }) => slot.assignment),
        part.map((n) => n.courseId),
        part.map((n) => n.personId),
        part.map(({ slot }) => slot.step),
        part.map((n) => n.stepName),
        part.map((n) => n.kind),
        part.map(({ slot }) => slot.revision),
        part.map(({ slot }) => slot.occurrence),
        part.map(({ slot }) => slot.to),
        part.map((n) => n.gathered),
        part.map(({ slot }) => iso(slot.anchorAt)),
        part.map(({ slot }) => iso(slot.moment)),
        part.map(({ slot }) => iso(slot.knownAt)),
        part.map((n) => iso(n.at)),
        part.map((n) => n.onDay),
        part.map((n) => (n.state === 'planned' ? iso(n.at) : null)),
        part.map((n) => n.state),
        part.map((n) => n.because),
        part.map((n) => n.recipientId),
        part.map((n) => n.recipientName),
        part.map((n) => n.sentence),
        part.map((n) => n.trace && JSON.stringify(n.trace)),
        part.map((n) => n.decidedAt && iso(n.decidedAt)),
      ],
    });
  }
}

// a cancelled notice that is planned again takes up its old row: its identity is the same
const MOVE_NOTICES = `
update notices n
set
  anchor_at = m.anchor_at, moment = m.moment, known_at = m.known_at, at = m.at, on_day = m.on_day, try_at = m.try_at, state = m.state,
    because = m.because,
  held_because = null, recipient_id = m.recipient_id, recipient_name = m.recipient_name, sentence = m.sentence, trace = m.trace,
    decided_at = m.decided_at,
  step_name = m.step_name, kind = m.kind, gathered = m.gathered, attempts = 0, last_error = null
from unnest(
  $1::bigint[], $2::timestamptz[], $3::timestamptz[], $4::timestamptz[], $5::timestamptz[], $6::date[], $7::timestamptz[], $8::text[], $9::text[],
  $10::bigint[], $11::text[], $12::text[], $13::jsonb[], $14::timestamptz[], $15::text[], $16::text[], $17::boolean[]
) as m (
  id, anchor_at, moment, known_at, at, on_day, try_at, state, because, recipient_id, recipient_name, sentence, trace, decided_at,
  step_name, kind, gathered
)
where n.id = m.id
  and n.state in ('planned', 'held', 'cancelled')
`;

export async function moveNotices(db: Client, list: readonly { id: string; row: NoticeInsert }[]): Promise<void> {
  if (list.length === 0) return;
  await db.query(MOVE_NOTICES, [
    list.map(({ id }) => id),
    list.map(({ row }) => iso(row.slot.anchorAt)),
    list.map(({ row }) => iso(row.slot.moment)),
    list.map(({ row }) => iso(row.slot.knownAt)),
    list.map(({ row }) => iso(row.at)),
    list.map(({ row }) => row.onDay),
    list.map(({ row }) => (row.state === 'planned' ? iso(row.at) : null)),
    list.map(({ row }) => row.state),
    list.map(({ row }) => row.because),
    list.map(({ row }) => row.recipientId),
    list.map(({ row }) => row.recipientName),
    list.map(({ row }) => row.sentence),
    list.map(({ row }) => row.trace && JSON.stringify(row.trace)),
    list.map(({ row }) => row.decidedAt && iso(row.decidedAt)),
    list.map(({ row }) => row.stepName),
    list.map(({ row }) => row.kind),
    list.map(({ row }) => row.gathered),
  ]);
}

/** A notice that was held when it was cancelled, and is held again. */
export interface ResumeRow {
  id: string;
  at: Instant;
  onDay: string;
  /** it waits for its moment; else for a person */
  hasMoment: boolean;
  sentence: string;
}

const RESUME_NOTICES = `
update notices n
set
  state = 'held', at = r.at, on_day = r.on_day, try_at = case when r.has_moment then r.at end, because = null, sentence = r.sentence, trace = null,
  decided_at = null
from unnest($1::bigint[], $2::timestamptz[], $3::date[], $4::boolean[], $5::text[]) as r (id, at, on_day, has_moment, sentence)
where n.id = r.id
  and n.state = 'cancelled'
`;

export async function resumeNotices(db: Client, list: readonly ResumeRow[]): Promise<void> {
  if (list.length === 0) return;
  await db.query(RESUME_NOTICES, [
    list.map((r) => r.id),
    list.map((r) => iso(r.at)),
    list.map((r) => r.onDay),
    list.map((r) => r.hasMoment),
    list.map((r) => r.sentence),
  ]);
}

const READDRESS_NOTICES = `
update notices n
set recipient_id = r.recipient_id, recipient_name = r.recipient_name, sentence = r.sentence
from unnest($1::bigint[], $2::bigint[], $3::text[], $4::text[]) as r (id, recipient_id, recipient_name, sentence)
where n.id = r.id
  and n.state in ('planned', 'held')
`;

/** Notices that stay as they are and would go to somebody else, or be held for another leave, now. */
export async function readdressNotices(db: Client, list: readonly { id: string; row: NoticeInsert }[]): Promise<void> {
  if (list.length === 0) return;
  await db.query(READDRESS_NOTICES, [
    list.map(({ id }) => id),
    list.map(({ row }) => row.recipientId),
    list.map(({ row }) => row.recipientName),
    list.map(({ row }) => row.sentence),
  ]);
}

export interface CancelRow {
  id: string;
  because: string;
  sentence: string;
}

const CANCEL_NOTICES = `
update notices n
set state = 'cancelled', because = c.because, sentence = c.sentence, trace = null, try_at = null, decided_at = $4::timestamptz
from unnest($1::bigint[], $2::text[], $3::text[]) as c (id, because, sentence)
where n.id = c.id
  and (n.state in ('planned', 'held') or n.state = 'skipped' and n.because in ('before-assignment', 'moment-passed'))
`;

export async function cancelNotices(db: Client, list: readonly CancelRow[], now: Instant): Promise<void> {
  if (list.length === 0) return;
  await db.query(CANCEL_NOTICES, [list.map((c) => c.id), list.map((c) => c.because), list.map((c) => c.sentence), iso(now)]);
}

/** A notice that the dispatcher has taken up. */
export interface ClaimedNotice extends Slot {
  id: string;
  kind: string;
  gathered: boolean;
  personId: string;
  courseId: string;
  plannedAt: Instant;
  messageId: string | null;
  attempts: number;
  heldBecause: string | null;
  /** the addressee that was found when it was planned */
  recipientId: string | null;
  /** it was being handed over when it was taken up: what became of it nobody knows */
  isOnItsWay: boolean;
  /** the chat did not take it before: it goes by mail, where that is open */
  chatFailed: boolean;
}

export const CLAIMED_COLUMNS = `
  id, assignment_id, person_id, course_id, step_id, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at, at, try_at,
  message_id, attempts, held_because, recipient_id, state, chat_failed
`;

// gathered notices are claimed apart, by one worker at a time, so that a recipient's day is never split over two messages
const CLAIM_DUE = `
select ${CLAIMED_COLUMNS}
from notices
where try_at <= $1::timestamptz
  and gathered = $2::boolean
order by try_at, id
limit $3::integer
for update skip locked
`;

export interface ClaimedRow {
  id: string;
  assignment_id: string;
  person_id: string;
  course_id: string;
  step_id: string;
  kind: string;
  revision: number;
  occurrence: number;
  to_role: string;
  gathered: boolean;
  anchor_at: Date;
  moment: Date;
  known_at: Date;
  at: Date;
  try_at: Date | null;
  message_id: string | null;
  attempts: number;
  held_because: string | null;
  recipient_id: string | null;
  state: string;
  chat_failed: boolean;
}

export const claimedOf = (row: ClaimedRow): ClaimedNotice => ({
  id: row.id,
  assignment: row.assignment_id,
  personId: row.person_id,
  courseId: row.course_id,
  step: row.step_id,
  kind: row.kind,
  revision: row.revision,
  occurrence: row.occurrence,
  to: row.to_role,
  gathered: row.gathered,
  anchorAt: row.anchor_at.getTime(),
  moment: row.moment.getTime(),
  knownAt: row.known_at.getTime(),
  at: row.at.getTime(),
  plannedAt: row.at.getTime(),
  messageId: row.message_id,
  attempts: row.attempts,
  heldBecause: row.held_because,
  recipientId: row.recipient_id,
  isOnItsWay: row.state === 'sending',
  chatFailed: row.chat_failed,
  missed: null,
  replacedAt: null,
  gaps: [],
  isTakenBack: false,
});

export async function claimDue(db: Client, now: Instant, gathered: boolean, limit: number): Promise<ClaimedNotice[]> {
  return (await rows<ClaimedRow>(db, CLAIM_DUE, [new Date(now), gathered, limit])).map(claimedOf);
}

export interface DecisionRow {
  id: string;
  state: 'skipped' | 'held' | 'sending' | 'cancelled';
  because: string | null;
  heldBecause: string | null;
  /** when a held notice is taken up again; null while it waits for a person */
  until: Instant | null;
  recipientId: string | null;
  recipientName: string | null;
  sentence: string;
  trace: Check[];
  messageId: string | null;
}

const SAVE_DECISIONS = `
update notices n
set
  state = d.state, because = d.because, held_because = coalesce(d.held_because, n.held_because), at = coalesce(d.until, n.at),
    on_day = coalesce(d.on_day, n.on_day),
  try_at = d.until, recipient_id = d.recipient_id, recipient_name = d.recipient_name, sentence = d.sentence, trace = d.trace,
    message_id = coalesce(d.message_id, n.message_id),
  decided_at = case when d.state = 'held' then null else $11::timestamptz end,
  claimed_by = case when d.state = 'sending' then $12::integer end,
  attempts = n.attempts + case when d.state = 'sending' then 1 else 0 end
from unnest(
  $1::bigint[], $2::text[], $3::text[], $4::text[], $5::timestamptz[], $6::date[], $7::bigint[], $8::text[], $9::text[], $10::jsonb[], $13::bigint[]
) as d (id, state, because, held_because, until, on_day, recipient_id, recipient_name, sentence, trace, message_id)
where n.id = d.id
`;

export async function saveDecisions(
  db: Client,
  list: readonly DecisionRow[],
  now: Instant,
  worker: number,
  houseZone: string,
): Promise<void> {
  if (list.length === 0) return;
  const zone = Zone.of(houseZone);
  await db.query(SAVE_DECISIONS, [
    list.map((d) => d.id),
    list.map((d) => d.state),
    list.map((d) => d.because),
    list.map((d) => d.heldBecause),
    list.map((d) => (d.until === null ? null : iso(d.until))),
    list.map((d) => (d.until === null ? null : dateOf(zone.dayAt(d.until)))),
    list.map((d) => d.recipientId),
    list.map((d) => d.recipientName),
    list.map((d) => d.sentence),
    list.map((d) => JSON.stringify(d.trace)),
    iso(now),
    worker,
    list.map((d) => d.messageId),
  ]);
}

const SET_ASIDE = `
update notices n
set
  state = 'held', held_because = 'set-aside', because = null, sentence = r.sentence, trace = null, decided_at = null, claimed_by = null,
  try_at = $3::timestamptz + interval '1 hour'
from unnest($1::bigint[], $2::text[]) as r (id, sentence)
where n.id = r.id
`;

/** Sets notices aside that could not be decided or written; they are tried again by themselves each hour, and when somebody asks. */
export const setNoticesAside = (db: Client, list: readonly { id: string; sentence: string }[], now: Instant): Promise<unknown> =>
  db.query(SET_ASIDE, [list.map(({ id }) => id), list.map(({ sentence }) => sentence), iso(now)]);

const POSTPONE = `
update notices n
set try_at = r.at
from unnest($1::bigint[], $2::timestamptz[]) as r (id, at)
where n.id = r.id
`;

/** Lets notices wait for a later try. */
export const postponeNotices = (db: Client, list: readonly { id: string; at: Instant }[]): Promise<unknown> =>
  db.query(POSTPONE, [list.map(({ id }) => id), list.map(({ at }) => iso(at))]);
