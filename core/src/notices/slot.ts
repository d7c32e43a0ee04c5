import { nominalRecipient, type Role } from '../people/chain.ts';
import type { Roster } from '../people/person.ts';
import { baseMoments } from '../plans/moment.ts';
import { assignedRevisions, dueRevisions, standingRevision, type Assignment, type AssignmentEvent, type Revision } from '../plans/state.ts';
import { isBeforeDue, windowOf, type Anchor, type Step } from '../plans/step.ts';
import { type Calendar, dayOf } from '../time/calendar.ts';
import type { Instant } from '../time/zone.ts';

/** An anchor that happened, or is known to happen, for one assignment: 0, and 1 more each time that it is set or happens anew. */
export type AnchorMoment = Revision;

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
}

/** The identity of a notice as one string; the ledger's unique key holds the same five parts. */
export const keyOf = (slot: { assignment: string; step: string; revision: number; occurrence: number; to: Role }): string =>
  `${slot.assignment}/${slot.step}/${slot.revision}/${slot.occurrence}/${slot.to}`;

const single = (at: Instant, knownAt = at): AnchorMoment[] => [{ at, revision: 0, knownAt, replacedAt: null }];

const asAnchor = ({ at }: { at: Instant }, revision: number): AnchorMoment => ({
  at,
  revision,
  knownAt: at,
  replacedAt: null,
});

/** Whether an event is one that a step may be timed from. */
function isAnchorEvent(event: AssignmentEvent, anchor: Anchor): boolean {
  switch (anchor.event) {
    case 'finished':
    case 'certificate-issued':
      return event.type === anchor.event;
    case 'unit-opened':
    case 'unit-finished':
      return event.type === anchor.event && event.unit === anchor.unit;
    case 'quiz-submitted':
    case 'quiz-passed':
    case 'quiz-failed':
      return (
        event.type === 'quiz-submitted' &&
        (anchor.unit === undefined || event.unit === anchor.unit) &&
        (anchor.event === 'quiz-submitted' || event.passed === (anchor.event === 'quiz-passed'))
      );
    case 'signed-off':
      return event.type === 'signed-off' && (anchor.unit === undefined || event.unit === anchor.unit);
    case 'expires':
      return event.type === 'certificate-issued' && event.expiresAt != null;
    default:
      return false;
  }
}

/** The anchors of a step for an assignment, from the events known at `now`; none is "waits for". */
export function anchorsOf(anchor: Anchor, assignment: Assignment, assignee: Calendar, now: Instant): AnchorMoment[] {
  switch (anchor.event) {
    case 'assigned':
      return assignedRevisions(assignment, now);
    case 'date':
      return single(assignee.zone.toInstant(dayOf(anchor.date!), 0), assignment.assignedAt);
    case 'due':
      return dueRevisions(assignment, now);
    default: {
      const found = assignment.events.filter((event) => event.at <= now && isAnchorEvent(event, anchor));
      if (anchor.event === 'expires')
        return found.map((event, revision) => ({
          at: (event as { expiresAt: Instant }).expiresAt,
          revision,
          knownAt: event.at,
          replacedAt: null,
        }));
      // finishing and units happen once; quiz results, sign-offs and certificates each time anew
      const isOnce = anchor.event === 'finished' || anchor.event === 'unit-opened' || anchor.event === 'unit-finished';
      return (isOnce ? found.slice(0, 1) : found).map(asAnchor);
    }
  }
}

/**
 * Fits a moment to the send window. `earlier` that would pass `knownAt` becomes `later`.
 */
function fit(step: Step, base: Instant, recipient: Calendar, roster: Roster, knownAt: Instant): Instant {
  const window = windowOf(step);
  if (window === 'exact') return base;
  if (window === 'earlier') {
    const earlier = recipient.fitEarlier(base, roster.settings.sendWindow);
    if (earlier >= knownAt) return earlier;
  }
  return recipient.fitLater(base, roster.settings.sendWindow);
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
  for (const anchor of anchorsOf(step.anchor, assignment, assignee, now)) {
    const knownAt = Math.max(begunAt, publishedAt, anchor.knownAt);
    for (const to of step.to) {
      const nominal = nominalRecipient(to, employee, owner, roster);
      const recipient = nominal ? roster.calendarOf(nominal) : assignee;
      const bases = baseMoments(step, anchor.at, assignee, recipient);
      for (let occurrence = 0; occurrence < bases.length; occurrence++) {
        const moment = fit(step, bases[occurrence]!, recipient, roster, knownAt);
        let at = moment;
        let missed: MissedReason | null = null;
        if (moment < knownAt) {
          if (step.kind === 'invitation' || knownAt - moment <= roster.settings.tolerance) {
            at = windowOf(step) === 'exact' ? knownAt : recipient.fitLater(knownAt, roster.settings.sendWindow);
          } else {
            missed = moment < assignment.assignedAt ? 'before-assignment' : 'moment-passed';
          }
        }
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
        });
      }
    }
  }
  return slots;
}

/** Whether a negative offset from due ended up at or after the due date itself. */
export const isOvertaken = (step: Step, slot: Slot, at: Instant): boolean => isBeforeDue(step) && at >= slot.anchorAt;
