import { standingAt, type Assignment } from '../assignments/state.ts';
import {
  decide,
  sentenceOf,
  waitReason,
  waitSentence,
  type Check,
  type HoldReason,
  type MissingOf,
  type SkipReason,
} from '../notices/decide.ts';
import { compareWaiting, DayBook, overtakenBy, placeFor, placeOf, type Place, type Waiting } from '../notices/sending.ts';
import { backAt, keyOf, slotsOf, type Slot } from '../notices/slot.ts';
import { tellableFrom, type Reading } from '../notices/window.ts';
import { nominalRecipient } from '../people/role.ts';
import type { Roster } from '../people/person.ts';
import { anchorsOf } from '../plans/anchor.ts';
import { isRung, windowOf, type Step } from '../plans/step.ts';
import type { Instant } from '../time/zone.ts';
import type { NoticesOf, RungTold } from '../conditions/further.ts';
import { Agenda } from './agenda.ts';

/** The steps that accompany the assignments of a course, and when this version of them was published. */
export interface Plan {
  course: string;
  publishedAt: Instant;
  steps: readonly Step[];
}

/** A notice that a ledger holds: what went stays as it went, whatever would be decided of it today. */
export interface PastNotice {
  state: 'sent' | 'decided' | 'waiting';
  /** when it went, or when it is to be decided */
  at: Instant;
  /** the moment that it was planned for */
  moment: Instant;
  held: HoldReason | null;
  /** whom it went to */
  person: string | null;
}

export interface RehearsalInput {
  from: Instant;
  /** exclusive */
  until: Instant;
  roster: Roster;
  plans: readonly Plan[];
  assignments: readonly Assignment[];
  /** keep each decision's trace; without it lines carry the sentence alone */
  withTrace?: boolean;
  /** whose lines are told in words; all, where it is not given. Of a large roster only few are read, and the words cost most */
  isTold?: (assignment: Assignment) => boolean;
  /** a line too for what is held and not decided before `until`: for previews; without it, none */
  withHeld?: boolean;
  /** merge fields without a value, where the messages are known */
  missingOf?: MissingOf;
  /** what is known to have become of notices, by their keys: these are not decided again */
  ledger?: ReadonlyMap<string, PastNotice>;
  /** nothing is sent from `from` until `to`, which is when it is taken up */
  outage?: { from: Instant; to: Instant };
}

/** What became of one notice, or that a step still waits. */
export interface RehearsalLine {
  assignment: string;
  step: string;
  revision: number;
  occurrence: number;
  to: string;
  person: string | null;
  outcome: 'send' | 'skip' | 'wait' | 'hold';
  at: Instant | null;
  held: HoldReason | null;
  because: SkipReason | null;
  sentence: string;
  /** why it is not sent, held, or waits; null where it goes */
  reason: string | null;
  /** the slot it came from; null for a wait */
  slot: Slot | null;
  trace: Check[];
}

const NO_COUNT = (): number => 0;
const NO_TRACE: Check[] = [];

interface Pending extends Waiting {
  /** when it is decided: `plannedAt`, or the end of an outage */
  at: Instant;
  place: Place;
}

/**
 * Runs plans forward without sending: each notice is decided at its moment with what is known then, in the order in
 * which the dispatcher would take them. Pure; the same input in any order gives the same lines.
 */
export function rehearse({
  from,
  until,
  roster,
  plans,
  assignments,
  withTrace = false,
  isTold = () => true,
  withHeld = false,
  missingOf,
  outage,
  ledger,
}: RehearsalInput): RehearsalLine[] {
  const planOf = new Map(plans.map((plan) => [plan.course, plan]));
  const agenda = new Agenda<Pending>(compareWaiting);
  const book = new DayBook<Pending>();
  // in a rehearsal nothing comes back
  const went = new Set<string>();
  const told = new Map<string, RungTold[]>();
  const noticesOf: NoticesOf = (assignment, step) => ({ isSent: went.has(`${assignment}/${step}`), isBounced: false });
  noticesOf.toldOf = (assignment, revision) => told.get(`${assignment}/${revision}`) ?? [];
  const noteGone = (slot: Slot, step: Step, person: string | null): void => {
    went.add(`${slot.assignment}/${slot.step}`);
    if (person === null || !isRung(step)) return;
    const key = `${slot.assignment}/${slot.revision}`;
    told.set(key, [...(told.get(key) ?? []), { step: step.id, person }]);
  };
  const lines: RehearsalLine[] = [];

  const place = (waiting: Waiting): void => {
    const { plannedAt } = waiting;
    const at = outage && outage.from <= plannedAt && plannedAt < outage.to ? outage.to : plannedAt;
    // before an outage nobody knows of it: until then it counts against the day of its own moment
    const { slot, step, assignment, held } = waiting;
    const pending: Pending = { slot, step, assignment, plannedAt, held, at, place: placeOf(waiting, roster, plannedAt, noticesOf) };
    book.expect(pending);
    agenda.push(pending);
  };
  /** Places a notice for a moment; one that was replaced by then is none, one that does not stand then waits until it does. */
  const placeAt = (waiting: Waiting): boolean => {
    const { slot, step } = waiting;
    const back = backAt(waiting.plannedAt, slot.gaps);
    if (back !== null)
      waiting = {
        ...waiting,
        plannedAt:
          windowOf(step) === 'exact'
            ? back
            : tellableFrom(back, readingOf(waiting, roster), roster.settings, () => standingAt(waiting.assignment, back).dueAt),
      };
    if (waiting.plannedAt >= until || (slot.replacedAt !== null && waiting.plannedAt >= slot.replacedAt)) return false;
    place(waiting);
    return true;
  };

  for (const assignment of assignments) {
    const plan = planOf.get(assignment.course);
    if (!plan) continue;
    const lastKnown = until - 1; // an event at `until` is not known before it
    for (const step of plan.steps) {
      const slots = slotsOf(step, assignment, roster, plan.publishedAt, lastKnown);
      if (step.anchor.event === 'assigned' && assignment.assignedAt >= until) {
        lines.push(waitLine(assignment, step));
        continue;
      }
      if (slots.length === 0) {
        const assignee = roster.calendarOf(roster.getPerson(assignment.person));
        if (anchorsOf(step.anchor, assignment, assignee, lastKnown).length === 0) lines.push(waitLine(assignment, step));
        continue;
      }
      for (const slot of slots) {
        const past = ledger?.get(keyOf(slot));
        if (past && past.state !== 'waiting') {
          if (past.state !== 'sent') continue;
          noteGone(slot, step, past.person);
          book.record(placeFor(step, slot, roster.person(past.person), roster, past.at));
          continue;
        }
        // one that waits for a moment waits on, as long as it is planned for the same one
        const waits = past && past.moment === slot.moment ? past : null;
        placeAt({
          slot,
          step,
          assignment,
          plannedAt: waits ? waits.at : slot.missed ? slot.knownAt : slot.at,
          held: waits ? waits.held : null,
        });
      }
    }
  }

  // what an outage overtakes is found once, when it ends; what was held, when that goes on
  let overtaken = new Map<Slot, string>();
  let overtakenFor: Instant | null = null;
  const overtakenAt = (first: Pending): Map<Slot, string> => {
    const ended = [first];
    for (let next = agenda.pop(); next; next = agenda.pop()) {
      if (next.at > first.at) {
        agenda.push(next);
        break;
      }
      ended.push(next);
    }
    const isLate = ended.some((pending) => pending.at === outage?.to || pending.held === 'on-hold');
    for (const pending of isLate ? ended : []) {
      pending.place.isSettled = true;
      pending.place = placeOf(pending, roster, pending.at);
      book.expect(pending);
    }
    for (const pending of ended.slice(1).reverse()) agenda.push(pending);
    const { at } = first;
    if (!isLate) return new Map();
    return overtakenBy(
      ended,
      roster,
      at,
      ({ slot, step, assignment, held }) =>
        decide({ slot, step, assignment, roster, now: at, countOf: NO_COUNT, missingOf, noticesOf, held, isTraced: false }).kind === 'send',
    );
  };

  for (let pending = agenda.pop(); pending; pending = agenda.pop()) {
    const { slot, step, assignment, at, held } = pending;
    if ((at === outage?.to || roster.holds.length > 0) && at !== overtakenFor) {
      overtaken = overtakenAt(pending);
      overtakenFor = at;
    }
    pending.place.isSettled = true;
    const overtakenOf = (of: Slot): string | null => (at === overtakenFor ? (overtaken.get(of) ?? null) : null);
    const wouldGo = (other: Pending): boolean =>
      decide({
        slot: other.slot,
        step: other.step,
        assignment: other.assignment,
        roster,
        now: at,
        countOf: NO_COUNT,
        missingOf,
        noticesOf,
        supersededBy: overtakenOf(other.slot),
        held: other.held,
        isTraced: false,
      }).kind === 'send';
    const decision = decide({
      slot,
      step,
      assignment,
      roster,
      now: at,
      countOf: (addressee) => book.countBefore(placeFor(step, slot, addressee, roster, at), wouldGo),
      supersededBy: overtakenOf(slot),
      missingOf,
      noticesOf,
      held,
      isTraced: withTrace,
    });
    const zone = roster.calendarOf(roster.getPerson(assignment.person)).zone;
    const tell = (moment: Instant): string => (isTold(assignment) ? sentenceOf(decision, slot, step, zone, moment, held) : '');
    const line = (outcome: RehearsalLine['outcome'], moment: Instant, because: SkipReason | null, sentence: string): void =>
      void lines.push({
        assignment: slot.assignment,
        step: slot.step,
        revision: slot.revision,
        occurrence: slot.occurrence,
        to: slot.to,
        person: decision.recipient.person?.id ?? null,
        outcome,
        at: moment,
        held: decision.kind === 'hold' ? decision.because : held,
        because,
        sentence,
        reason: decision.kind === 'send' ? null : (decision.trace.at(-1)?.because ?? null),
        slot,
        trace: withTrace ? decision.trace : NO_TRACE,
      });
    if (decision.kind === 'hold') {
      // held past the end, past an extension that replaces it, or until somebody mends an address: undecided
      const isPlaced = decision.until !== null && placeAt({ slot, step, assignment, plannedAt: decision.until, held: decision.because });
      if (!isPlaced && withHeld && at >= from) line('hold', decision.until ?? at, null, tell(at));
      continue;
    }
    if (decision.kind === 'send') {
      book.record(placeFor(step, slot, decision.recipient.person, roster, at));
      noteGone(slot, step, decision.recipient.person?.id ?? null);
    }
    if (at < from) continue;
    const moment = slot.missed ? slot.moment : at;
    line(decision.kind, moment, decision.kind === 'skip' ? decision.because : null, tell(moment));
  }
  return lines.sort(compareLines);
}

/** Whose window fits a notice: its nominal recipient's, the employee's calendar where there is none. */
function readingOf({ slot, assignment }: Waiting, roster: Roster): Reading {
  const employee = roster.getPerson(assignment.person);
  const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
  const reader = nominalRecipient(slot.to, employee, owner, roster);
  return { to: slot.to, reader, calendar: roster.calendarOf(reader ?? employee) };
}

function waitLine(assignment: Assignment, step: Step): RehearsalLine {
  return {
    assignment: assignment.id,
    step: step.id,
    revision: 0,
    occurrence: 0,
    to: step.to[0]!,
    person: null,
    outcome: 'wait',
    at: null,
    held: null,
    because: null,
    sentence: waitSentence(step),
    reason: waitReason(step),
    slot: null,
    trace: [],
  };
}

const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** By moment, then assignment, step, occurrence, recipient; lines without a moment last. */
function compareLines(a: RehearsalLine, b: RehearsalLine): number {
  const at = (a.at ?? Infinity) === (b.at ?? Infinity) ? 0 : (a.at ?? Infinity) - (b.at ?? Infinity);
  return (
    at ||
    order(a.assignment, b.assignment) ||
    order(a.step, b.step) ||
    a.occurrence - b.occurrence ||
    order(a.to, b.to) ||
    a.revision - b.revision
  );
}
