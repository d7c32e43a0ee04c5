import { nominalRecipient, type Recipient } from '../people/role.ts';
import type { Person, Roster } from '../people/person.ts';
import { canMail, WAY_WORDS, wayTo } from '../people/ways.ts';
import { isOfFinishingSignOff, outlivesAssignment, tellAnchor } from '../plans/anchor.ts';
import { leafFactNow, type FurtherFacts, type Names } from '../conditions/catalogue.ts';
import { holds, leavesOf, tellCondition, type Condition } from '../conditions/condition.ts';
import { Further, NO_NOTICES, type NoticesOf } from '../conditions/further.ts';
import { standingAt, takenUpAt, type Assignment, type Standing } from '../assignments/state.ts';
import { isExemptFromLimit, isRung, windowOf, type Step } from '../plans/step.ts';
import { dayOf, type Calendar } from '../time/calendar.ts';
import { holdOver, tellHeldBy } from '../holding/hold.ts';
import { isHandStep } from '../plans/by-hand.ts';
import { tellAmount, tellDate, tellDay, tellFinished, tellList, tellMoment } from '../time/words.ts';
import type { Day, Instant } from '../time/zone.ts';
import { addresseeOf } from './addressee.ts';
import { isOvertaken, type Slot } from './slot.ts';
import { tellableFrom } from './window.ts';

export const SKIP_REASONS = [
  'switched-off',
  'finished',
  'waived',
  'withdrawn',
  'left',
  'stopped',
  'renewed',
  'condition',
  'declined',
  'after-end',
  'superseded',
  'no-recipient',
  'before-assignment',
  'moment-passed',
  'no-certificate',
  'let-pass',
] as const;
export type SkipReason = (typeof SKIP_REASONS)[number];
export type HoldReason = 'leave' | 'daily-limit' | 'unreachable' | 'missing-value' | 'set-aside' | 'on-hold' | 'taken-up';

/** What has to come about before what is held without a moment is taken up again. */
export const HELD_UNTIL: Record<HoldReason, string> = {
  leave: 'its last day is entered',
  'daily-limit': 'the next day',
  unreachable: 'that is mended',
  'missing-value': 'that is filled in',
  'set-aside': 'it is tried again',
  'on-hold': 'it is released',
  'taken-up': 'that day has passed',
};

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
  missingOf?: MissingOf | undefined;
  /** what became of earlier notices */
  noticesOf?: NoticesOf | undefined;
  /** what held it before */
  held?: HoldReason | null;
  /** false keeps only the check that decided: of a million decisions nobody reads what passed, and telling it costs more */
  isTraced?: boolean;
}

/** Merge fields of the step's message that have no value for this recipient; only who knows the messages can tell. */
export type MissingOf = (step: Step, assignment: Assignment, recipient: Recipient, now: Instant) => readonly string[];

const CLOSED_WORDS = { finished: 'finished', waived: 'was waived', withdrawn: 'was withdrawn' } as const;

// beside the function and not in it: a closure for each of a million decisions costs more than the decision
const pass = (trace: Check[], check: string, because: string): void => void trace.push({ check, result: true, because });

function skip(trace: Check[], recipient: Recipient, check: string, because: SkipReason, fact: string): Decision {
  trace.push({ check, result: false, because: fact });
  return { kind: 'skip', because, recipient, trace };
}

/**
 * What the checks of one decision share. A plain object of one shape, written out: closures, or spreading the input into
 * it, cost more than the checks for a million decisions.
 */
interface Deciding extends Required<
  Pick<DecisionInput, 'slot' | 'step' | 'assignment' | 'roster' | 'now' | 'countOf' | 'isTraced' | 'held'>
> {
  supersededBy: string | null;
  missingOf: MissingOf | undefined;
  noticesOf: NoticesOf;
  employee: Person;
  assignee: Calendar;
  zone: Calendar['zone'];
  recipient: Recipient;
  standing: Standing;
  trace: Check[];
}

/**
 * Decides one notice at its moment with the facts known then. The checks run in the order of the rules and the first
 * that fails decides; the trace lists each with the fact it used.
 */
export function decide({
  slot,
  step,
  assignment,
  roster,
  now,
  countOf,
  supersededBy = null,
  missingOf,
  noticesOf = NO_NOTICES,
  held = null,
  isTraced = true,
}: DecisionInput): Decision {
  const employee = roster.getPerson(assignment.person);
  const assignee = roster.calendarOf(employee);
  const recipient = addresseeOf({ slot, step, assignment }, roster, now, noticesOf);
  const standing = standingAt(assignment, now);
  const trace: Check[] = [];
  const { zone } = assignee;
  const deciding: Deciding = {
    slot,
    step,
    assignment,
    roster,
    now,
    countOf,
    supersededBy,
    missingOf,
    noticesOf,
    held,
    isTraced,
    employee,
    assignee,
    zone,
    recipient,
    standing,
    trace,
  };
  return (
    checkMoment(deciding) ??
    checkOpen(deciding) ??
    checkRenewed(deciding) ??
    checkConditions(deciding) ??
    checkDeclined(deciding) ??
    checkOvertaken(deciding) ??
    checkHolds(deciding) ??
    checkTakenUp(deciding) ??
    checkRecipient(deciding) ??
    checkLeave(deciding) ??
    checkLimit(deciding) ??
    checkValues(deciding) ?? { kind: 'send', recipient, trace }
  );
}

function checkMoment({ slot, step, assignment, roster, now, zone, isTraced, trace, recipient }: Deciding): Decision | null {
  if (!slot.missed && !isTraced) return null;
  const moment = tellMoment(slot.moment, zone, now);
  if (slot.missed) {
    const before = `was before the assignment (${tellMoment(assignment.assignedAt, zone, now)})`;
    const tolerance = tellTolerance(roster.settings.tolerance);
    const passed = `had passed by more than ${tolerance} when it became known (${tellMoment(slot.knownAt, zone, now)})`;
    const fact = `its moment, ${moment}, ${slot.missed === 'before-assignment' ? before : passed}`;
    return skip(trace, recipient, 'moment still ahead when it became known', slot.missed, fact);
  }
  pass(trace, 'moment', `${tellRule(step, slot, zone, now)}: ${moment}`);
  return null;
}

function checkOpen({ slot, step, employee, roster, now, zone, standing, isTraced, trace, recipient }: Deciding): Decision | null {
  if (!step.on) return skip(trace, recipient, 'step is on', 'switched-off', 'the step is switched off');
  if (isTraced) pass(trace, 'step is on', 'switched on');
  if (outlivesAssignment(step.anchor.event)) return null;
  const isOpen = isOfFinishingSignOff(step.anchor.event, slot.anchorAt, standing);
  const closed = closedFact(isOpen ? { ...standing, closedBy: null } : standing, employee, roster, zone, now);
  if (closed) return skip(trace, recipient, 'assignment is open', closed.because, closed.fact);
  if (!isTraced) return null;
  const units = standing.unitsFinished.size ? `, ${standing.unitsFinished.size} units done` : '';
  pass(trace, 'assignment is open', `${standing.state}${units}`);
  return null;
}

/** What tells that a certificate runs out goes to nobody who holds the course beyond that day by another one. */
function checkRenewed({ slot, step, assignment, employee, zone, isTraced, trace, recipient }: Deciding): Decision | null {
  if (step.anchor.event !== 'expires' || !employee.held) return null;
  const ends = zone.dayAt(slot.anchorAt);
  const other = employee.held.find(({ course, until }) => course === assignment.course && (until === null || dayOf(until) > ends));
  if (other) {
    const fact = `it runs out on ${tellDate(ends)}, and ${employee.name} holds the course ${other.until === null ? 'for ever' : `until ${tellDate(dayOf(other.until))}`} by another one`;
    return skip(trace, recipient, 'not renewed', 'renewed', fact);
  }
  if (isTraced) pass(trace, 'not renewed', 'nothing else is held beyond that day');
  return null;
}

/** What the step itself asks for: when it stops, whom it goes to only, when it ends. */
function checkConditions(deciding: Deciding): Decision | null {
  const { step, assignment, employee, assignee, roster, now, zone, standing, noticesOf, isTraced, trace, recipient } = deciding;
  if (!step.stopWhen && !step.onlyIf && step.endsOn === null) return null;
  const further = new Further(assignment, standing, employee, assignee, roster, now, noticesOf);
  const facts = { person: employee, state: standing.state, unitsFinished: standing.unitsFinished, further };
  if (step.stopWhen) {
    if (holds(step.stopWhen, facts, roster.structure)) {
      const fact = `it stops when ${tellCondition(step.stopWhen, roster.names)}, and that holds: ${employee.name} is ${standing.state}${tellFurther(step.stopWhen, further, roster.names)}`;
      return skip(trace, recipient, 'not stopped', 'stopped', fact);
    }
    if (isTraced) pass(trace, 'not stopped', `stops when ${tellCondition(step.stopWhen, roster.names)}; ${standing.state}`);
  }
  if (step.onlyIf) {
    if (!holds(step.onlyIf, facts, roster.structure)) {
      const fact = `it goes only if ${tellCondition(step.onlyIf, roster.names)}; ${tellFacts(employee, standing)}${tellFurther(step.onlyIf, further, roster.names)}`;
      return skip(trace, recipient, 'condition', 'condition', fact);
    }
    if (isTraced) pass(trace, 'condition', `only if ${tellCondition(step.onlyIf, roster.names)}`);
  }
  if (step.endsOn !== null) {
    const end = tellDay(dayOf(step.endsOn), zone.dayAt(now));
    if (zone.dayAt(now) > dayOf(step.endsOn)) {
      const fact = `the step ends on ${end} and its moment was ${tellMoment(now, zone)}`;
      return skip(trace, recipient, 'before its end', 'after-end', fact);
    }
    if (isTraced) pass(trace, 'before its end', `ends on ${end}`);
  }
  return null;
}

/** What may be declined does not go to an employee who did. */
function checkDeclined({ slot, step, assignment, employee, isTraced, trace, recipient }: Deciding): Decision | null {
  if (!step.mayDecline || slot.to !== 'employee') return null;
  if (employee.declined?.includes(`${assignment.course}/${step.id}`))
    return skip(trace, recipient, 'not declined', 'declined', `${employee.name} declined messages of this step`);
  if (isTraced) pass(trace, 'not declined', 'it may be declined, and was not');
  return null;
}

function checkOvertaken({ slot, step, now, zone, supersededBy, trace, recipient }: Deciding): Decision | null {
  if (isOvertaken(step, slot, now)) {
    const due = tellMoment(slot.anchorAt, zone, now);
    const fact = `it is meant before the due date (${due}) and could go only on ${tellMoment(now, zone)}`;
    return skip(trace, recipient, 'not overtaken', 'superseded', fact);
  }
  if (!supersededBy) return null;
  return skip(trace, recipient, 'not overtaken', 'superseded', `a later message of the same assignment takes its place: ${supersededBy}`);
}

/** Whether somebody holds it; what was held goes on in its reader's day. */
function checkHolds({
  slot,
  step,
  assignment,
  employee,
  assignee,
  roster,
  now,
  held,
  standing,
  recipient,
  isTraced,
  trace,
}: Deciding): Decision | null {
  if (roster.holds.length === 0 && held !== 'on-hold') return null;
  const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
  const nominal = nominalRecipient(slot.to, employee, owner, roster);
  const calendar = nominal ? roster.calendarOf(nominal) : assignee;
  const { zone } = calendar;
  const hold = holdOver(
    roster.holds,
    {
      course: assignment.course,
      isByHand: isHandStep(step.id),
      person: employee.id,
      department: employee.departmentId ?? null,
      addressee: recipient.person?.id ?? null,
    },
    roster.structure,
    now,
    zone.dayAt(now),
  );
  const wait = (until: Instant | null, because: string): Decision => {
    trace.push({ check: 'not held by anybody', result: false, because });
    return { kind: 'hold', until, because: 'on-hold', recipient, trace };
  };
  const from = (at: Instant): Instant =>
    tellableFrom(at, { to: slot.to, reader: nominal, calendar }, roster.settings, () => standing.dueAt);
  if (hold) {
    const fact = `${tellHeldBy(hold)} by ${hold.by} since ${tellMoment(hold.from, zone, now)} (${hold.reason})`;
    return wait(hold.until === null ? null : from(zone.toInstant(dayOf(hold.until), 0)), fact);
  }
  if (held === 'on-hold' && windowOf(step) !== 'exact') {
    const at = from(now);
    if (at > now) return wait(at, 'it was held, and goes on inside the send window');
  }
  if (isTraced) pass(trace, 'not held by anybody', 'nobody holds it');
  return null;
}

/** What somebody has taken up is told to nobody further up until the day for which they promised it. */
function checkTakenUp({ slot, step, assignment, employee, assignee, roster, now, zone, standing, trace, recipient }: Deciding): Decision | null {
  if (!isRung(step) || !assignment.events.some(({ type }) => type === 'taken-up')) return null;
  const taken = takenUpAt(assignment, now, zone);
  if (!taken) return null;
  const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
  const nominal = nominalRecipient(slot.to, employee, owner, roster);
  const calendar = nominal ? roster.calendarOf(nominal) : assignee;
  const morning = calendar.zone.toInstant(calendar.addWorkingDays(dayOf(taken.until), 1), 0);
  const until = tellableFrom(morning, { to: slot.to, reader: nominal, calendar }, roster.settings, () => standing.dueAt);
  if (until <= now) return null;
  trace.push({ check: 'not taken up', result: false, because: `taken up${taken.by ? ` by ${taken.by}` : ''} on ${tellMoment(taken.at, zone, now)}, until ${tellDay(dayOf(taken.until), zone.dayAt(now))}` });
  return { kind: 'hold', until, because: 'taken-up', recipient, trace };
} // prettier-ignore

function checkRecipient({ step, roster, isTraced, trace, recipient }: Deciding): Decision | null {
  const { person, address, path } = recipient;
  if (!person && !address) return skip(trace, recipient, 'recipient found', 'no-recipient', path.join('; ') || 'nobody to write to');
  if (isTraced) pass(trace, 'recipient found', path.length ? path.join('; ') : (person?.name ?? address!));
  if (!person) return null;
  const way = wayTo(person, step, roster.settings);
  if (way !== null) {
    if (isTraced && way !== 'mail') pass(trace, 'way to the reader', canMail(person) ? WAY_WORDS[way] : `in the chat: ${mailFact(person)}`);
    return null;
  }
  const chat = person.isChatReachable === false ? `, and the chat does not know ${person.chatName}` : '';
  const because = `${mailFact(person)}${chat}`;
  trace.push({ check: 'address works', result: false, because });
  return { kind: 'hold', until: null, because: 'unreachable', recipient, trace };
}

const mailFact = (person: Person): string =>
  person.email === null ? `${person.name} has no address` : `mail to ${person.email} came back`;

function checkLeave({ slot, employee, assignee, roster, now, standing, isTraced, trace, recipient }: Deciding): Decision | null {
  if (slot.to !== 'employee') return null;
  const hold = leaveHold(employee, assignee, roster, now, standing.dueAt);
  if (hold) {
    trace.push({ check: 'not on leave', result: false, because: hold.fact });
    return { kind: 'hold', until: hold.until, because: 'leave', recipient, trace };
  }
  if (isTraced) pass(trace, 'not on leave', 'at work');
  return null;
}

function checkLimit({ slot, step, roster, now, standing, countOf, isTraced, trace, recipient }: Deciding): Decision | null {
  const limit = roster.settings.dailyLimit;
  const addressee = recipient.person;
  if (limit === null || !addressee || isExemptFromLimit(step.kind)) return null;
  const calendar = roster.calendarOf(addressee);
  const day = calendar.zone.dayAt(now);
  const count = countOf(addressee, day);
  if (count >= limit) {
    trace.push({ check: 'daily limit', result: false, because: `${count} messages to ${addressee.name} that day, limit ${limit}` });
    const reading = { to: slot.to, reader: addressee, calendar };
    const until = tellableFrom(calendar.zone.toInstant(day + 1, 0), reading, roster.settings, () => standing.dueAt);
    return { kind: 'hold', until, because: 'daily-limit', recipient, trace };
  }
  if (isTraced) pass(trace, 'daily limit', `message ${count + 1} that day, limit ${limit}`);
  return null;
}

function checkValues({ step, assignment, employee, now, zone, standing, missingOf, trace, recipient }: Deciding): Decision | null {
  const missing = missingOf?.(step, assignment, recipient, now) ?? [];
  if (missing.length === 0) return null;
  // a completion that was recorded brings no certificate, and nobody can give one: that is no reason to wait
  if (standing.finishedOn !== null && missing.some((field) => field.startsWith('certificate'))) {
    const fact = `it was recorded as finished on ${tellFinished(standing, zone, now)}, and Nudrik issued no certificate for it`;
    return skip(trace, recipient, 'certificate issued', 'no-certificate', fact);
  }
  const because = `no value for ${tellList(missing.map((field) => `{${field}}`))} for ${employee.name}`;
  trace.push({ check: 'every merge field has a value', result: false, because });
  return { kind: 'hold', until: null, because: 'missing-value', recipient, trace };
}

/**
 * What leave does to a notice to the employee at a moment: it waits for the first working day after it, at the same local time,
 * or for somebody to enter the last day of leave that is open.
 */
export function leaveHold(
  employee: Person,
  calendar: Calendar,
  roster: Roster,
  at: Instant,
  dueAt: Instant,
): { until: Instant | null; fact: string } | null {
  const { zone } = calendar;
  const leave = roster.leaveOn(employee, zone.dayAt(at));
  if (!leave) return null;
  if (leave.to === null) return { until: null, fact: `on leave since ${tellDay(dayOf(leave.from), zone.dayAt(at))}, until further notice` };
  const back = calendar.addWorkingDays(dayOf(leave.to), 1);
  return {
    until: tellableFrom(
      zone.toInstant(back, zone.toLocal(at).ms),
      { to: 'employee', reader: employee, calendar },
      roster.settings,
      () => dueAt,
    ),
    fact: `on leave to ${tellDay(dayOf(leave.to), zone.dayAt(at))}`,
  };
}

const tellTolerance = (ms: number): string =>
  ms % 3_600_000 === 0 ? tellAmount(ms / 3_600_000, 'hours') : tellAmount(Math.round(ms / 60_000), 'minutes');

/** When an assignment was closed: a moment, or the day of a completion that was recorded. */
export const tellClosed = (standing: Standing, zone: Calendar['zone'], now: Instant): string =>
  tellFinished(standing, zone, now) ?? tellMoment(standing.closedAt!, zone, now);

function closedFact(
  standing: Standing,
  employee: Person,
  roster: Roster,
  zone: Calendar['zone'],
  now: Instant,
): { because: SkipReason; fact: string } | null {
  if (standing.closedBy) {
    const what = standing.closedBy === 'finished' ? `${employee.name} finished` : `the assignment ${CLOSED_WORDS[standing.closedBy]}`;
    return { because: standing.closedBy, fact: `${what} on ${tellClosed(standing, zone, now)}` };
  }
  if (roster.hasLeft(employee, zone.dayAt(now)))
    return { because: 'left', fact: `${employee.name} left on ${tellDay(dayOf(employee.leftOn!), zone.dayAt(now))}` };
  return null;
}

/** What else a condition looked at, as it is: "; 40 % is done". */
function tellFurther(condition: Condition, further: FurtherFacts, names: Names): string {
  const facts = new Set(leavesOf(condition).flatMap((leaf) => leafFactNow(leaf, further, names) ?? []));
  return facts.size === 0 ? '' : `; ${[...facts].slice(0, 5).join('; ')}`;
}

function tellFacts(employee: Person, standing: Standing): string {
  return [`${employee.name} is ${standing.state}`, employee.department, employee.site].filter(Boolean).join(', ');
}

/** How a slot's moment came about: `due Fri 19 Mar 17:00, less 48 hours`. */
function tellRule(step: Step, slot: Slot, zone: Calendar['zone'], now: Instant): string {
  const words = [`${tellAnchor(step.anchor)} ${tellMoment(slot.anchorAt, zone, now)}`];
  const { amount, unit } = step.offset;
  if (amount !== 0) words.push(`${amount < 0 ? 'less' : 'plus'} ${tellAmount(amount, unit)}`);
  if (slot.occurrence > 0 && step.repeat)
    words.push(`plus ${slot.occurrence} × ${tellAmount(step.repeat.every.amount, step.repeat.every.unit)}`);
  if (step.at) words.push(`at ${step.at}`);
  if (windowOf(step) !== 'exact') words.push('inside the send window');
  if (slot.at !== slot.moment) words.push(`known only at ${tellMoment(slot.knownAt, zone, now)}`);
  return words.join(', ');
}

const WAITED: Partial<Record<HoldReason, string>> = {
  leave: ', held until back from leave',
  'daily-limit': ', held over from a full day',
  'on-hold': ', after it was held',
  'taken-up': ', after somebody had taken it up',
};

/** A kind as one piece of it, inside a sentence. */
const PIECE: Readonly<Record<Step['kind'], string>> = {
  invitation: 'invitation',
  onboarding: 'message',
  reminder: 'reminder',
  late: 'late reminder',
  manager: 'escalation',
  certificate: 'message',
  'follow-up': 'follow-up',
};

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
    const waited = held === null ? '' : (WAITED[held] ?? '');
    const path = decision.recipient.path.length ? ` (${decision.recipient.path.join('; ')})` : '';
    return `Goes to ${who}${path} on ${tellMoment(at, zone, at)}${waited}: ${tellRule(step, slot, zone, at)}.`;
  }
  if (decision.kind === 'hold') {
    return `Held: ${last?.because ?? ''}, until ${decision.until === null ? HELD_UNTIL[decision.because] : tellMoment(decision.until, zone, at)}.`;
  }
  const closed =
    decision.because === 'finished' || decision.because === 'waived' || decision.because === 'withdrawn' || decision.because === 'left';
  return `Skipped: ${last?.because ?? decision.because}${closed ? `, before this ${PIECE[step.kind]}'s moment (${tellMoment(at, zone)})` : ''}.`;
}

/** The reason of a wait line, `waits for: finished`, and the same as a sentence. */
export const waitReason = (step: Step): string => `waits for: ${tellAnchor(step.anchor)}`;
export const waitSentence = (step: Step): string => `Waits for: ${tellAnchor(step.anchor)}.`;

/** One of these sentences inside another one: `held: on leave, until Mon 25 May 08:00`. */
export const clauseOf = (sentence: string): string => `${sentence.charAt(0).toLowerCase()}${sentence.slice(1, -1)}`;
