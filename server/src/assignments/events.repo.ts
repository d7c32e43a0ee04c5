import { decodeEvent, type Assignment, type AssignmentEvent } from '@nudrik/core';
import { rows, type Client, type Queryable } from '../db/db.ts';
import { queueSealed } from '../seals/seals.repo.ts';

/** An assignment with everything that happened to it, as core asks for it. */
export interface AssignmentRecord extends Assignment {
  isByHand: boolean;
  token: string;
}

const LIST_RECORDS = `
select
  a.id, a.person_id, a.course_id, a.round, a.assigned_at, a.first_due_at, a.is_by_hand, a.token,
  (
    select coalesce(
      jsonb_agg(
        jsonb_build_object('id', e.id::text, 'type', e.type, 'at', extract(epoch from e.at) * 1000, 'act', e.act_id is not null, 'data', e.data)
        order by e.at, e.id
      ),
      '[]'
    )
    from assignment_events e
    where e.assignment_id = a.id
  ) as events
from assignments a
where a.id = any($1::bigint[])
`;

interface RecordRow {
  id: string;
  person_id: string;
  course_id: string;
  round: number;
  assigned_at: Date;
  first_due_at: Date;
  is_by_hand: boolean;
  token: string;
  events: { id: string; type: string; at: number; act: boolean; data: Record<string, unknown> | null }[];
}

function recordOf(row: RecordRow): AssignmentRecord {
  const assignedAt = row.assigned_at.getTime();
  const events = row.events.flatMap(({ id, type, at, act, data }): AssignmentEvent[] => {
    const event = decodeEvent({ id, type, at: Math.round(Number(at)), byHand: act, data });
    return event ? [event] : []; // what is on the record and no rule asks for, such as a link that was opened
  });
  const made = events.find(({ type }) => type === 'assigned');
  return {
    id: row.id,
    person: row.person_id,
    course: row.course_id,
    round: row.round,
    assignedAt,
    dueAt: row.first_due_at.getTime(),
    token: row.token,
    // an assignment that begins later than the act that made it has settled by then
    isByHand: row.is_by_hand && made?.byHand === true && made.at === assignedAt,
    events,
  };
}

/** Assignments with their events, in no order. */
export async function listRecords(db: Queryable, ids: readonly string[]): Promise<AssignmentRecord[]> {
  return (await rows<RecordRow>(db, LIST_RECORDS, [ids])).map(recordOf);
}

const INSERT_EVENTS = `
with made as (
  insert into assignment_events (assignment_id, type, at, data, by_whom, act_id, undoes)
  select r.assignment_id, r.type, r.at, r.data, $5::text, $6::bigint, r.undoes
  from unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::jsonb[], $7::bigint[]) as r (assignment_id, type, at, data, undoes)
  returning id
)
${queueSealed('event', 'made')}
`;

export interface EventRow {
  assignment: string;
  type: string;
  at: number;
  data: object | null;
  undoes: string | null;
}

export async function insertEventRows(db: Client, list: readonly EventRow[], byWhom: string | null, act: string | null): Promise<void> {
  await db.query(INSERT_EVENTS, [
    list.map((row) => row.assignment),
    list.map((row) => row.type),
    list.map((row) => new Date(row.at)),
    list.map((row) => row.data && JSON.stringify(row.data)),
    byWhom,
    act,
    list.map((row) => row.undoes),
  ]);
}

/** What the columns of an assignment hold: its state as read from its events. */
export interface ReadingRow {
  id: string;
  dueAt: number;
  startedAt: number | null;
  unitsDone: readonly string[];
  closedBy: string | null;
  closedAt: number | null;
  closedBecause: string | null;
  reason: string | null;
  told: string | null;
  waivedUntil: string | null;
  completedOn: string | null;
  proof: string | null;
  finishedVersion: number | null;
}

const SAVE_READINGS = `
update assignments a
set
  due_at = r.due_at, started_at = r.started_at, units_done = r.units_done::bigint[], closed_by = r.closed_by, closed_at = r.closed_at,
  closed_because = r.closed_because, closed_reason = r.reason, closed_told = r.told, waived_until = r.waived_until, completed_on = r.completed_on,
  proof_id = r.proof, finished_version = r.finished_version
from unnest(
  $1::bigint[], $2::timestamptz[], $3::timestamptz[], $4::text[], $5::text[], $6::timestamptz[], $7::text[], $8::text[], $9::text[], $10::date[],
  $11::date[], $12::bigint[], $13::integer[]
) as r (
  id, due_at, started_at, units_done, closed_by, closed_at, closed_because, reason, told, waived_until, completed_on, proof, finished_version
)
where a.id = r.id
  and (
    a.due_at, a.started_at, a.units_done, a.closed_by, a.closed_at, a.closed_because, a.closed_reason, a.closed_told, a.waived_until,
    a.completed_on, a.proof_id, a.finished_version
  ) is distinct from (
    r.due_at, r.started_at, r.units_done::bigint[], r.closed_by, r.closed_at, r.closed_because, r.reason, r.told, r.waived_until, r.completed_on,
    r.proof, r.finished_version
  )
`;

const moment = (at: number | null): Date | null => (at === null ? null : new Date(at));

export async function saveReadings(db: Client, list: readonly ReadingRow[]): Promise<void> {
  await db.query(SAVE_READINGS, [
    list.map((r) => r.id),
    list.map((r) => new Date(r.dueAt)),
    list.map((r) => moment(r.startedAt)),
    list.map((r) => `{${r.unitsDone.join(',')}}`),
    list.map((r) => r.closedBy),
    list.map((r) => moment(r.closedAt)),
    list.map((r) => r.closedBecause),
    list.map((r) => r.reason),
    list.map((r) => r.told),
    list.map((r) => r.waivedUntil),
    list.map((r) => r.completedOn),
    list.map((r) => r.proof),
    list.map((r) => r.finishedVersion),
  ]);
}

export interface IntervalRow {
  assignment: string;
  from: number;
  to: number | null;
  dueAt: number;
  closedBy: string | null;
  closedBecause: string | null;
  isThen: boolean;
  isNow: boolean;
  course: string;
  startedAt: number | null;
  closedAt: number | null;
  finishedOn: string | null;
  waivedUntil: string | null;
}

const INSERT_INTERVALS = `
insert into assignment_intervals (
  assignment_id, from_at, to_at, due_at, closed_by, closed_because, is_then, is_now, course_id, started_at, closed_at, completed_on, waived_until
)
select *
from unnest(
  $1::bigint[], $2::timestamptz[], $3::timestamptz[], $4::timestamptz[], $5::text[], $6::text[], $7::boolean[], $8::boolean[], $9::bigint[],
  $10::timestamptz[], $11::timestamptz[], $12::date[], $13::date[]
)
`;

const DELETE_ASSIGNMENT_INTERVALS = 'delete from assignment_intervals where assignment_id = any($1::bigint[])';

/** Puts the intervals of some assignments in the place of those that they had. */
export async function replaceIntervals(db: Client, ids: readonly string[], list: readonly IntervalRow[]): Promise<void> {
  await db.query(DELETE_ASSIGNMENT_INTERVALS, [ids]);
  await db.query(INSERT_INTERVALS, [
    list.map((row) => row.assignment),
    list.map((row) => new Date(row.from)),
    list.map((row) => moment(row.to)),
    list.map((row) => new Date(row.dueAt)),
    list.map((row) => row.closedBy),
    list.map((row) => row.closedBecause),
    list.map((row) => row.isThen),
    list.map((row) => row.isNow),
    list.map((row) => row.course),
    list.map((row) => moment(row.startedAt)),
    list.map((row) => moment(row.closedAt)),
    list.map((row) => row.finishedOn),
    list.map((row) => row.waivedUntil),
  ]);
}

const TAKE_UNREAD = `
delete from unread_assignments
where assignment_id in (select assignment_id from unread_assignments limit 2000 for update skip locked)
returning assignment_id
`;

/** Takes some of those whose events a migration left to be read again. */
export const takeUnread = async (db: Client): Promise<string[]> =>
  (await rows<{ assignment_id: string }>(db, TAKE_UNREAD)).map(({ assignment_id }) => assignment_id);
