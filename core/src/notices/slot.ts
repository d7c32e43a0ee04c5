import { assignedRevisions, closedGaps, standingAt, standingRevision, type Assignment, type Span } from '../assignments/state.ts';
import { nominalRecipient, rolesFor, type Role } from '../people/role.ts';
import type { Roster } from '../people/person.ts';
import { anchorsOf, outlivesAssignment } from '../plans/anchor.ts';
import { baseMoments } from '../plans/moment.ts';
import { isBeforeDue, windowOf, type Step } from '../plans/step.ts';
import type { Instant } from '../time/zone.ts';
import { tellableBefore, tellableFrom, type Reading } from './window.ts';

/** Why a slot was never to be sent, found while planning. */
export type MissedReason = 'before-assignment' | 'moment-passed';

/** One notice to be: its identity, its own moment, and the moment at which it is decided. */
export interface Slot {
  assignment: string;
  step: string;
  revision: number;
  occurrence: number;
  to: Role;
  anchorAt: Instant;
  /** the step's moment by its own rules, fitted to the window */
  moment: Instant;
  /** when it is decided: the moment, or `knownAt` where the moment was missed within the tolerance */
  at: Instant;
  knownAt: Instant;
  missed: MissedReason | null;
  replacedAt: Instant | null;
  /** its anchor was taken back */
  isTakenBack: boolean;
  /** spans in which its anchor did not stand, or its assignment was closed, by something that was taken back */
  gaps: readonly Span[];
}

/** The identity of a notice as one string; the ledger's unique key holds the same five parts. */
export const keyOf = (slot: { assignment: string; step: string; revision: number; occurrence: number; to: Role }): string =>
  `${slot.assignment}/${slot.step}/${slot.revision}/${slot.occurrence}/${slot.to}`;

/**
 * Fits a moment to the send window. `earlier` that would pass `knownAt` becomes `later`.
 */
function fit(step: Step, base: Instant, reading: Reading, roster: Roster, knownAt: Instant, dueOf: (at: Instant) => Instant): Instant {
  const window = windowOf(step);
  if (window === 'exact') return base;
  if (window === 'earlier') {
    const earlier = tellableBefore(base, reading, roster.settings);
    if (earlier >= knownAt) return earlier;
  }
  return tellableFrom(base, reading, roster.settings, dueOf);
}

/**
 * The slots of one step for one assignment: every revision of its anchor × occurrence × recipient.
 * @param publishedAt the moment at which the plan's version was published
 * @param now events after it are not known yet
 */
export function slotsOf(step: Step, assignment: Assignment, roster: Roster, publishedAt: Instant, now: Instant): Slot[] {
  const employee = roster.getPerson(assignment.person);
  const assignee = roster.calendarOf(employee);
  const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
  const slots: Slot[] = [];
  // what was not sent before an assignment began anew is not caught up with: only what hangs on the new beginning goes
  const begunAt = standingRevision(assignedRevisions(assignment, now)).at;
  const closed = outlivesAssignment(step.anchor.event) ? NO_GAPS : closedGaps(assignment, now);
  // a letter by hand is no part of a version: it is written when it is sent
  const published = step.anchor.letter === undefined ? publishedAt : -Infinity;
  const { settle, tolerance } = roster.settings;
  const dueOf = (at: Instant): Instant => standingAt(assignment, Math.min(at, now)).dueAt;
  const roles = rolesFor(step.to, roster.course(assignment.course)?.assistants);
  for (const anchor of anchorsOf(step.anchor, assignment, assignee, now)) {
    const firstKnown = Math.max(begunAt, published, anchor.knownAt);
    const settledAt = anchor.isByHand ? anchor.knownAt + settle : -Infinity;
    const gaps = closed.length === 0 ? anchor.gaps : [...closed, ...anchor.gaps].sort((a, b) => a.from - b.from);
    for (const to of roles) {
      const nominal = nominalRecipient(to, employee, owner, roster);
      const recipient = nominal ? roster.calendarOf(nominal) : assignee;
      const bases = baseMoments(step, anchor.at, assignee, recipient);
      const reading = { to, reader: nominal, calendar: recipient };
      const noSooner = (than: Instant): Instant =>
        windowOf(step) === 'exact' ? than : tellableFrom(than, reading, roster.settings, dueOf);
      for (let occurrence = 0; occurrence < bases.length; occurrence++) {
        const moment = fit(step, bases[occurrence]!, reading, roster, firstKnown, dueOf);
        let knownAt = firstKnown;
        let at = moment;
        let missed: MissedReason | null = null;
        // one that falls where it did not stand is known when it stands again
        const again = moment < knownAt ? null : backAt(moment, gaps);
        if (again !== null) knownAt = again;
        if (moment < knownAt) {
          if (step.kind === 'invitation' || knownAt - moment <= tolerance) at = noSooner(knownAt);
          else missed = moment < assignment.assignedAt ? 'before-assignment' : 'moment-passed';
        }
        if (missed === null && at < settledAt) at = noSooner(settledAt);
        slots.push({
          assignment: assignment.id,
          step: step.id,
          revision: anchor.revision,
          occurrence,
          to,
          anchorAt: anchor.at,
          moment,
          at,
          knownAt,
          missed,
          replacedAt: anchor.replacedAt,
          isTakenBack: anchor.isTakenBack,
          gaps,
        });
      }
    }
  }
  return slots;
}

const NO_GAPS: readonly Span[] = [];

/** When what falls into a gap is taken up again; null where it falls into none. */
export function backAt(at: Instant, gaps: readonly Span[]): Instant | null {
  let back: Instant | null = null;
  for (const gap of gaps) if (gap.from <= (back ?? at) && (back ?? at) < gap.to!) back = gap.to;
  return back;
}

/** Whether a negative offset from due ended up at or after the due date itself. */
export const isOvertaken = (step: Step, slot: Slot, at: Instant): boolean => isBeforeDue(step) && at >= slot.anchorAt;
