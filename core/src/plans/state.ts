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
  | { type: 'extended'; at: Instant; dueAt: Instant };

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
  let dueAt = assignment.dueAt;
  let dueRevision = 0;
  let started = false;
  let closedBy: Standing['closedBy'] = null;
  let closedAt: Instant | null = null;
  const unitsFinished = new Set<string>();
  for (const event of assignment.events) {
    if (event.at > now) continue;
    switch (event.type) {
      case 'extended':
        dueAt = event.dueAt;
        dueRevision += 1;
        break;
      case 'finished':
      case 'waived':
      case 'withdrawn':
        if (closedBy === null) {
          closedBy = event.type;
          closedAt = event.at;
        }
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
