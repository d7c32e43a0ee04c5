import { standingAt, type Assignment } from '../assignments/state.ts';
import type { Roster } from '../people/person.ts';
import { anchorsOf, isOfFinishingSignOff, outlivesAssignment, tellAnchor } from '../plans/anchor.ts';
import type { Step } from '../plans/step.ts';
import { dayOf } from '../time/calendar.ts';
import { tellDay, tellMoment } from '../time/words.ts';
import type { Instant } from '../time/zone.ts';
import { tellClosed } from './decide.ts';

export type DropReason =
  'finished' | 'waived' | 'withdrawn' | 'undone' | 'left' | 'extended' | 'replaced' | 'switched-off' | 'plan-changed';

export interface DroppedInput {
  /** `at` is null where it waited for a person */
  entry: { step: string; revision: number; at: Instant | null };
  assignment: Assignment;
  /** its step by the plan as it stands; undefined where the plan no longer has it */
  step: Step | undefined;
  roster: Roster;
  now: Instant;
}

/** Why what was planned is no longer, and in a sentence: a notice that will not come explains itself too. */
export function whyDropped({ entry, assignment, step, roster, now }: DroppedInput): { because: DropReason; sentence: string } {
  const employee = roster.getPerson(assignment.person);
  const assignee = roster.calendarOf(employee);
  const { zone } = assignee;
  const standing = standingAt(assignment, now);
  const told = (at: Instant): string => tellMoment(at, zone, now);
  const moment = entry.at === null ? '' : `, before its moment (${told(entry.at)})`;
  if (standing.closedBecause === 'undone')
    return { because: 'undone', sentence: `Cancelled: the assignment was taken back on ${told(standing.closedAt!)}${moment}.` };
  const isOver = !step || !outlivesAssignment(step.anchor.event);
  const revision = step && anchorsOf(step.anchor, assignment, assignee, now).find((candidate) => candidate.revision === entry.revision);
  const isOfFinish = step && revision && isOfFinishingSignOff(step.anchor.event, revision.at, standing);
  if (isOver && !isOfFinish && standing.closedBy) {
    const what = standing.closedBy === 'finished' ? `${employee.name} finished` : `the assignment was ${standing.closedBy}`;
    return { because: standing.closedBy, sentence: `Cancelled: ${what} on ${tellClosed(standing, zone, now)}${moment}.` };
  }
  if (isOver && roster.hasLeft(employee, zone.dayAt(now)))
    return {
      because: 'left',
      sentence: `Cancelled: ${employee.name} left on ${tellDay(dayOf(employee.leftOn!), zone.dayAt(now))}${moment}.`,
    };
  if (!step) return { because: 'plan-changed', sentence: 'Cancelled: the plan was changed and no longer has this step.' };
  if (!step.on) return { because: 'switched-off', sentence: `Cancelled: the step “${step.name}” was switched off${moment}.` };
  if (revision && revision.replacedAt !== null) {
    const what = step.anchor.event === 'due' ? `due ${told(revision.at)}` : `${tellAnchor(step.anchor)} ${told(revision.at)}`;
    if (revision.isTakenBack)
      return { because: 'undone', sentence: `Cancelled: what it hung on (${what}) was taken back on ${told(revision.replacedAt)}.` };
    if (step.anchor.event === 'due')
      return {
        because: 'extended',
        sentence: `Cancelled: the due date moved to ${told(standing.dueAt)}; its place is taken by a notice for the new date.`,
      };
    return { because: 'replaced', sentence: `Cancelled: what it hung on (${what}) was replaced on ${told(revision.replacedAt)}.` };
  }
  return { because: 'plan-changed', sentence: 'Cancelled: the plan was changed and no longer has this notice.' };
}
