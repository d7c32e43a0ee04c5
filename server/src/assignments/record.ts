import { encodeEvent, EVENTS, intervalsOf, standingAt, type AssignmentEvent, type Instant, type Interval } from '@nudrik/core';
import { announce, transaction, type Client, type Pool } from '../db/db.ts';
import { requestReplan } from '../notices/queue.ts';
import { requestReconcile } from '../requirements/queue.ts';
import { insertAssignments, lockIds, type AssignmentInsert, type InsertedAssignment } from './assignments.repo.ts';
import {
  insertEventRows,
  listRecords,
  replaceIntervals,
  saveReadings,
  takeUnread,
  type AssignmentRecord,
  type IntervalRow,
  type ReadingRow,
} from './events.repo.ts';

/** One thing that happened to one assignment. */
export interface Happening {
  assignment: string;
  event: AssignmentEvent;
}

export interface RecordedBy {
  byWhom: string | null;
  /** the act by hand that the events are part of */
  act?: string | null;
  /** the requirements' own work: they need not be asked again what they ask */
  isReconciling?: boolean;
}

/**
 * The one door: writes what happened and everything that follows from it. The events, the columns and intervals that are
 * read from them, the notices to be planned again, the people whose requirements are to be looked at, and the news.
 * Locks the assignments in the order of their ids. In the caller's transaction.
 */
export async function record(client: Client, happenings: readonly Happening[], by: RecordedBy): Promise<void> {
  if (happenings.length === 0) return;
  const ids = [...new Set(happenings.map(({ assignment }) => assignment))];
  await lockIds(client, ids);
  await insertEventRows(
    client,
    happenings.map(({ assignment, event }) => ({
      assignment,
      type: event.type,
      at: event.at,
      data: encodeEvent(event),
      undoes: event.type === 'undone' ? event.event : null,
    })),
    by.byWhom,
    by.act ?? null,
  );
  const records = await readAgain(client, ids);
  const follow = (what: 'plan' | 'requirements'): Set<string> =>
    new Set(happenings.filter(({ event }) => EVENTS[event.type].follows[what]).map(({ assignment }) => assignment));
  await requestReplan(client, [...follow('plan')]);
  if (!by.isReconciling) {
    const asked = follow('requirements');
    await requestReconcile(client, [...new Set(records.filter(({ id }) => asked.has(id)).map(({ person }) => person))]);
  }
  await announce(client, 'assignments');
}

/**
 * Makes assignments; whoever has the course open keeps that one and gets none.
 * @param at when it is recorded; assignments of who joins later begin after that. Null: when they begin
 */
export async function makeAssignments(
  client: Client,
  list: readonly AssignmentInsert[],
  at: Instant | null,
  by: RecordedBy,
): Promise<InsertedAssignment[]> {
  if (list.length === 0) return [];
  const made = await insertAssignments(client, list, by.byWhom, !by.isReconciling);
  const happenings = made.map(({ id, assigned_at, due_at }): Happening => {
    const event = { type: 'assigned', at: at ?? assigned_at.getTime(), dueAt: due_at.getTime() } as const;
    return { assignment: id, event };
  });
  await record(client, happenings, by);
  return made;
}

/** Reads the columns and intervals of assignments from their events: load, compute, save. */
export async function readAgain(client: Client, ids: readonly string[]): Promise<AssignmentRecord[]> {
  const records = await listRecords(client, ids);
  await saveReadings(client, records.map(readingOf));
  await replaceIntervals(client, ids, records.flatMap(intervalRows));
  return records;
}

/** The columns of an assignment as its events have them. */
export function readingOf(assignment: AssignmentRecord): ReadingRow {
  const standing = standingAt(assignment, Infinity);
  const { closing } = standing;
  return {
    id: assignment.id,
    dueAt: standing.dueAt,
    startedAt: standing.startedAt,
    // only units of the catalogue have numbers
    unitsDone: [...standing.unitsFinished].filter((unit) => /^\d+$/.test(unit)),
    closedBy: standing.closedBy,
    closedAt: standing.closedAt,
    closedBecause: standing.closedBecause,
    reason: closing?.type === 'undone' ? 'taken back' : closing?.type === 'finished' ? null : (closing?.reason ?? null),
    told: closing?.type === 'waived' || closing?.type === 'withdrawn' ? (closing.told ?? null) : null,
    waivedUntil: closing?.type === 'waived' ? (closing.until ?? null) : null,
    completedOn: standing.finishedOn,
    proof: closing?.type === 'finished' ? (closing.proof ?? null) : null,
    finishedVersion: closing?.type === 'finished' ? (closing.version ?? null) : null,
  };
}

const sameAs =
  (a: Interval) =>
  (b: Interval): boolean =>
    (Object.keys(a) as (keyof Interval)[]).every((field) => a[field] === b[field]);

/** Its intervals by both readings; one row where they agree. */
export function intervalRows(assignment: AssignmentRecord): IntervalRow[] {
  const then = intervalsOf(assignment, 'then', Infinity);
  const now = intervalsOf(assignment, 'now', Infinity);
  const rowOf = (interval: Interval, isThen: boolean, isNow: boolean): IntervalRow => ({
    assignment: assignment.id,
    course: assignment.course,
    ...interval,
    isThen,
    isNow,
  });
  return [
    ...then.map((interval) => rowOf(interval, true, now.some(sameAs(interval)))),
    ...now.filter((interval) => !then.some(sameAs(interval))).map((interval) => rowOf(interval, false, true)),
  ];
}

/** Reads what a migration left to be read again; does nothing where it left nothing. */
export async function readWhatIsUnread(db: Pool): Promise<void> {
  for (;;) {
    const done = await transaction(db, async (client) => {
      const ids = await takeUnread(client);
      if (ids.length > 0) await readAgain(client, ids);
      return ids.length;
    });
    if (done === 0) return;
  }
}
