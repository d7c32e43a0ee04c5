import { findRecipient, type Recipient } from '../people/chain.ts';
import type { Person, Roster } from '../people/person.ts';
import { holds, tellCondition } from '../plans/condition.ts';
import { standingAt, type Assignment, type Standing } from '../plans/state.ts';
import { isExemptFromLimit, outlivesAssignment, tellAnchor, windowOf, type Step } from '../plans/step.ts';
import { dayOf, type Calendar } from '../time/calendar.ts';
import { tellAmount, tellDay, tellMoment } from '../time/words.ts';
import type { Day, Instant } from '../time/zone.ts';
import { isOvertaken, type Slot } from './slot.ts';

export const SKIP_REASONS = [
  'switched-off', 'finished', 'waived', 'withdrawn', 'left', 'stopped', 'condition', 'after-end', 'superseded', 'no-recipient',
  'before-assignment', 'moment-passed',
] as const; // prettier-ignore
export type SkipReason = (typeof SKIP_REASONS)[number];
export type HoldReason = 'leave' | 'daily-limit' | 'unreachable' | 'missing-value';

/** One thing that was looked at, what came of it, and the fact it rests on. */
export interface Check {
  check: string;
  result: boolean;
  because: string;
}

export type Decision =
  | { kind: 'send'; recipient: Recipient; trace: Check[] }
  | { kind: 'hold'; until: Instant | null; because: HoldReason; recipient: Recipient; trace: Check[] }
  | { kind: 'skip'; because: SkipReason; recipient: Recipient; trace: Check[] };

/** What only the caller can know at the moment of sending. */
export interface DayCount {
  /**
   * Messages that count before this one against the addressee's local day: those that went, and those still planned
   * later that day which take precedence.
   */
  (addressee: Person, day: Day): number;
}

export interface DecisionInput {
  slot: Slot;
  step: Step;
  assignment: Assignment;
  roster: Roster;
  /** the moment of sending */
  now: Instant;
  countOf: DayCount;
  /** another notice of the assignment that is overdue too and whose own moment is later (after an outage) */
  supersededBy?: string | null;
}

const CLOSED_WORDS = { finished: 'finished', waived: 'was waived', withdrawn: 'was withdrawn' } as const;

// beside the function and not in it: a closure for each of a million decisions costs more than the decision
const pass = (trace: Check[], check: string, because: string): void => void trace.push({ check, result: true, because });

function skip(trace: Check[], recipient: Recipient, check: string, because: SkipReason, fact: string): Decision {
  trace.push({ check, result: false, because: fact });
  return { kind: 'skip', because, recipient, trace };
}

/**
 * Decides one notice at its moment with the facts known then. The checks run in the order of the rules and the first
 * that fails decides; the trace lists each with the fact it used.
 */
export function decide({ slot, step, assignment, roster, now, countOf, supersededBy }: DecisionInput): Decision {
  const employee = roster.getPerson(assignment.person);
  const assignee = roster.calendarOf(employee);
  const zone = assignee.zone;
  const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
  const recipient = findRecipient(slot.to, employee, owner, roster, now);
  const trace: Check[] = [];
  const standing = standingAt(assignment, now);

  if (slot.missed) {
    const fact =
      slot.missed === 'before-assignment'
        ? `its moment, ${tellMoment(slot.moment, zone)}, was before the assignment (${tellMoment(assignment.assignedAt, zone)})`
        : `its moment, ${tellMoment(slot.moment, zone)}, had passed by more than ${tellTolerance(roster.settings.tolerance)} when it became known (${tellMoment(slot.knownAt, zone)})`;
    return skip(trace, recipient, 'moment still ahead when it became known', slot.missed, fact);
  }
  pass(trace, 'moment', `${tellRule(step, slot, zone)}: ${tellMoment(slot.moment, zone)}`);

  if (!step.on) return skip(trace, recipient, 'step is on', 'switched-off', 'the step is switched off');
  pass(trace, 'step is on', 'switched on');

  if (!outlivesAssignment(step.anchor.event)) {
    const closed = closedFact(standing, employee, roster, zone, now);
    if (closed) return skip(trace, recipient, 'assignment is open', closed.because, closed.fact);
    pass(
      trace,
      'assignment is open',
      `${standing.state}${standing.unitsFinished.size ? `, ${standing.unitsFinished.size} units done` : ''}`,
    );
  }

  const facts = { person: employee, state: standing.state, unitsFinished: standing.unitsFinished };
  if (step.stopWhen) {
    if (holds(step.stopWhen, facts))
      return skip(
        trace,
        recipient,
        'not stopped',
        'stopped',
        `it stops when ${tellCondition(step.stopWhen)}, and that holds: ${employee.name} is ${standing.state}`,
      );
    pass(trace, 'not stopped', `stops when ${tellCondition(step.stopWhen)}; ${standing.state}`);
  }
  if (step.onlyIf) {
    if (!holds(step.onlyIf, facts))
      return skip(
        trace,
        recipient,
        'condition',
        'condition',
        `it goes only if ${tellCondition(step.onlyIf)}; ${tellFacts(employee, standing)}`,
      );
    pass(trace, 'condition', `only if ${tellCondition(step.onlyIf)}`);
  }
  if (step.endsOn !== null) {
    if (zone.dayAt(now) > dayOf(step.endsOn))
      return skip(
        trace,
        recipient,
        'before its end',
        'after-end',
        `the step ends on ${tellDay(dayOf(step.endsOn))} and its moment was ${tellMoment(now, zone)}`,
      );
    pass(trace, 'before its end', `ends on ${tellDay(dayOf(step.endsOn))}`);
  }
  if (isOvertaken(step, slot, now))
    return skip(
      trace,
      recipient,
      'not overtaken',
      'superseded',
      `it is meant before the due date (${tellMoment(slot.anchorAt, zone)}) and could go only on ${tellMoment(now, zone)}`,
    );
  if (supersededBy)
    return skip(trace, recipient, 'not overtaken', 'superseded', `a later message of the same assignment takes its place: ${supersededBy}`);

  if (!recipient.person && !recipient.address)
    return skip(trace, recipient, 'recipient found', 'no-recipient', recipient.path.join('; ') || 'nobody to write to');
  pass(trace, 'recipient found', recipient.path.length ? recipient.path.join('; ') : (recipient.person?.name ?? recipient.address!));

  const addressee = recipient.person;
  if (addressee && (!addressee.isReachable || addressee.email === null)) {
    trace.push({
      check: 'address works',
      result: false,
      because: addressee.email === null ? `${addressee.name} has no address` : `mail to ${addressee.email} came back`,
    });
    return { kind: 'hold', until: null, because: 'unreachable', recipient, trace };
  }

  if (slot.to === 'employee') {
    const leave = roster.leaveOn(employee, zone.dayAt(now));
    if (leave) {
      const back = assignee.addWorkingDays(dayOf(leave.to), 1);
      const until = assignee.fitLater(zone.toInstant(back, zone.toLocal(now).ms), roster.settings.sendWindow);
      trace.push({ check: 'not on leave', result: false, because: `on leave to ${tellDay(dayOf(leave.to))}` });
      return { kind: 'hold', until, because: 'leave', recipient, trace };
    }
    pass(trace, 'not on leave', 'at work');
  }

  const limit = roster.settings.dailyLimit;
  if (limit !== null && addressee && !isExemptFromLimit(step.kind)) {
    const calendar = roster.calendarOf(addressee);
    const day = calendar.zone.dayAt(now);
    const count = countOf(addressee, day);
    if (count >= limit) {
      trace.push({
        check: 'daily limit',
        result: false,
        because: `${count} messages to ${addressee.name} that day, limit ${limit}`,
      });
      const until = calendar.fitLater(calendar.zone.toInstant(day + 1, 0), roster.settings.sendWindow);
      return { kind: 'hold', until, because: 'daily-limit', recipient, trace };
    }
    pass(trace, 'daily limit', `message ${count + 1} that day, limit ${limit}`);
  }
  return { kind: 'send', recipient, trace };
}

const tellTolerance = (ms: number): string =>
  ms % 3_600_000 === 0 ? tellAmount(ms / 3_600_000, 'hours') : tellAmount(Math.round(ms / 60_000), 'minutes');

function closedFact(
  standing: Standing,
  employee: Person,
  roster: Roster,
  zone: Calendar['zone'],
  now: Instant,
): { because: SkipReason; fact: string } | null {
  if (standing.closedBy) {
    const what = standing.closedBy === 'finished' ? `${employee.name} finished` : `the assignment ${CLOSED_WORDS[standing.closedBy]}`;
    return { because: standing.closedBy, fact: `${what} on ${tellMoment(standing.closedAt!, zone)}` };
  }
  if (roster.hasLeft(employee, zone.dayAt(now)))
    return { because: 'left', fact: `${employee.name} left on ${tellDay(dayOf(employee.leftOn!))}` };
  return null;
}

function tellFacts(employee: Person, standing: Standing): string {
  return [`${employee.name} is ${standing.state}`, employee.department, employee.site].filter(Boolean).join(', ');
}

/** How a slot's moment came about: `due Fri 19 Mar 17:00, less 48 hours`. */
function tellRule(step: Step, slot: Slot, zone: Calendar['zone']): string {
  const words = [`${tellAnchor(step.anchor)} ${tellMoment(slot.anchorAt, zone)}`];
  const { amount, unit } = step.offset;
  if (amount !== 0) words.push(`${amount < 0 ? 'less' : 'plus'} ${tellAmount(amount, unit)}`);
  if (slot.occurrence > 0 && step.repeat)
    words.push(`plus ${slot.occurrence} × ${tellAmount(step.repeat.every.amount, step.repeat.every.unit)}`);
  if (step.at) words.push(`at ${step.at}`);
  if (windowOf(step) !== 'exact') words.push('inside the send window');
  if (slot.at !== slot.moment) words.push(`known only at ${tellMoment(slot.knownAt, zone)}`);
  return words.join(', ');
}

/** One sentence for a decision: "Skipped: Ingrid Moe finished on Mon 2 Mar 14:10, before this reminder's moment (Tue 3 Mar 09:00)". */
export function sentenceOf(
  decision: Decision,
  slot: Slot,
  step: Step,
  zone: Calendar['zone'],
  at: Instant,
  held: HoldReason | null,
): string {
  const last = decision.trace.at(-1);
  const who = decision.recipient.person?.name ?? decision.recipient.address ?? 'nobody';
  if (decision.kind === 'send') {
    const waited = held === 'leave' ? ', held until back from leave' : held === 'daily-limit' ? ', held over from a full day' : '';
    const path = decision.recipient.path.length ? ` (${decision.recipient.path.join('; ')})` : '';
    return `Goes to ${who}${path} on ${tellMoment(at, zone)}${waited}: ${tellRule(step, slot, zone)}.`;
  }
  if (decision.kind === 'hold')
    return `Held: ${last?.because ?? ''}${decision.until === null ? ', until that is mended' : `, until ${tellMoment(decision.until, zone)}`}.`;
  const closed =
    decision.because === 'finished' || decision.because === 'waived' || decision.because === 'withdrawn' || decision.because === 'left';
  return `Skipped: ${last?.because ?? decision.because}${closed ? `, before this ${step.kind}'s moment (${tellMoment(at, zone)})` : ''}.`;
}

/** The reason of a wait line: `Waits for: finished.` */
export const waitSentence = (step: Step): string => `Waits for: ${tellAnchor(step.anchor)}.`;

/** A recipient's gathered messages of one local day share this key; each other notice has its own. */
export function messageKey(step: Step, slot: Slot, addressee: Person | null, day: Day): string {
  return step.gather === 'per day'
    ? `${step.id}/${addressee?.id ?? slot.to}/${day}`
    : `${slot.assignment}/${slot.step}/${slot.revision}/${slot.occurrence}/${slot.to}`;
}
