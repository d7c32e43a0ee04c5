import type { Instant } from '../time/zone.ts';

export const STATES = ['not started', 'in progress', 'finished', 'finished late', 'overdue', 'waived', 'withdrawn'] as const;
/** A person's state on an assignment, in words. */
export type StateWord = (typeof STATES)[number];

/** What happened to an assignment, each with the instant from which it is known. */
export type AssignmentEvent =
  | { type: 'started' | 'finished' | 'waived' | 'withdrawn' | 'replied'; at: Instant }
  | { type: 'unit-opened' | 'unit-finished'; at: Instant; unit: string }
  | { type: 'quiz-submitted'; at: Instant; unit?: string; attempt?: number; score?: number; passed?: boolean }
  | { type: 'signed-off'; at: Instant; unit?: string; attended?: boolean; met?: boolean }
  | { type: 'certificate-issued'; at: Instant; expiresAt?: Instant | null }
  | { type: 'extended'; at: Instant; dueAt: Instant }
  /** the last extension was a mistake and is taken back: the due date before it stands again, as the same revision */
  | { type: 'extension-undone'; at: Instant }
  /** closed no longer: with a due date it begins anew (back from leaving, a waiver that ended), without one the closing is undone */
  | { type: 'reopened'; at: Instant; dueAt: Instant | null };

/** One person's obligation to finish one course by one due date, with everything that happened to it. */
export interface Assignment {
  id: string;
  person: string;
  course: string;
  assignedAt: Instant;
  /** the first due date; extensions are events */
  dueAt: Instant;
  /** in the order of their instants */
  events: readonly AssignmentEvent[];
}

/** A moment that an assignment hangs on, each time that it is set anew. */
export interface Revision {
  at: Instant;
  revision: number;
  knownAt: Instant;
  /** when a later revision took its place, or it was taken back; null while it stands */
  replacedAt: Instant | null;
}

const first = (at: Instant, knownAt: Instant): Revision[] => [{ at, revision: 0, knownAt, replacedAt: null }];

function revise(list: Revision[], at: Instant, knownAt: Instant): void {
  for (const revision of list) revision.replacedAt ??= knownAt;
  list.push({ at, revision: list.length, knownAt, replacedAt: null });
}

/** The due dates of an assignment, as known at an instant: the first, and one for each extension and each new beginning. */
export function dueRevisions(assignment: Assignment, now: Instant): Revision[] {
  const list = first(assignment.dueAt, assignment.assignedAt);
  const standing = [list[0]!];
  for (const event of assignment.events) {
    if (event.at > now) continue;
    if (event.type === 'extended' || (event.type === 'reopened' && event.dueAt !== null)) {
      revise(list, event.dueAt!, event.at);
      standing.push(list.at(-1)!);
    } else if (event.type === 'extension-undone' && standing.length > 1) {
      standing.pop()!.replacedAt = event.at;
      standing.at(-1)!.replacedAt = null;
    }
  }
  return list;
}

/** When an assignment was made, and each time that it began anew. */
export function assignedRevisions(assignment: Assignment, now: Instant): Revision[] {
  const list = first(assignment.assignedAt, assignment.assignedAt);
  for (const event of assignment.events)
    if (event.type === 'reopened' && event.dueAt !== null && event.at <= now) revise(list, event.at, event.at);
  return list;
}

/** The revision that stands. */
export const standingRevision = (list: readonly Revision[]): Revision => list.findLast(({ replacedAt }) => replacedAt === null)!;

export interface Standing {
  state: StateWord;
  dueAt: Instant;
  dueRevision: number;
  finishedAt: Instant | null;
  /** what closed it: null while it is open */
  closedBy: 'finished' | 'waived' | 'withdrawn' | null;
  closedAt: Instant | null;
  unitsFinished: ReadonlySet<string>;
}

/** How an assignment stands at an instant, from the events known by then. */
export function standingAt(assignment: Assignment, now: Instant): Standing {
  const { at: dueAt, revision: dueRevision } = standingRevision(dueRevisions(assignment, now));
  let started = false;
  let closedBy: Standing['closedBy'] = null;
  let closedAt: Instant | null = null;
  const unitsFinished = new Set<string>();
  for (const event of assignment.events) {
    if (event.at > now) continue;
    switch (event.type) {
      case 'finished':
      case 'waived':
      case 'withdrawn':
        if (closedBy === null) {
          closedBy = event.type;
          closedAt = event.at;
        }
        break;
      case 'reopened':
        closedBy = null;
        closedAt = null;
        break;
      case 'unit-finished':
        unitsFinished.add(event.unit);
        started = true;
        break;
      case 'started':
      case 'unit-opened':
      case 'quiz-submitted':
      case 'signed-off':
        started = true;
        break;
      default:
    }
  }
  const finishedAt = closedBy === 'finished' ? closedAt : null;
  const open: StateWord = now > dueAt ? 'overdue' : started ? 'in progress' : 'not started';
  const state: StateWord =
    closedBy === null ? open : closedBy === 'finished' ? (finishedAt! > dueAt ? 'finished late' : 'finished') : closedBy;
  return { state, dueAt, dueRevision, finishedAt, closedBy, closedAt, unitsFinished };
}
