import { findRecipient } from '../people/chain.ts';
import type { Person, Roster } from '../people/person.ts';
import { decide, messageKey, sentenceOf, waitSentence, type Check, type HoldReason, type SkipReason } from '../notices/decide.ts';
import { anchorsOf, slotsOf, type Slot } from '../notices/slot.ts';
import type { Assignment } from '../plans/state.ts';
import { isExemptFromLimit, precedenceOf, type Step } from '../plans/step.ts';
import type { Day, Instant } from '../time/zone.ts';
import { Heap } from './heap.ts';

/** The steps that accompany the assignments of a course, and when this version of them was published. */
export interface Plan {
  course: string;
  publishedAt: Instant;
  steps: readonly Step[];
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
}

/** What became of one notice, or that a step still waits. */
export interface RehearsalLine {
  assignment: string;
  step: string;
  revision: number;
  occurrence: number;
  to: string;
  person: string | null;
  outcome: 'send' | 'skip' | 'wait';
  at: Instant | null;
  held: HoldReason | null;
  because: SkipReason | null;
  sentence: string;
  /** the slot it came from; null for a wait */
  slot: Slot | null;
  trace: Check[];
}

interface Pending {
  slot: Slot;
  step: Step;
  assignment: Assignment;
  at: Instant;
  held: HoldReason | null;
  /** precedence of its kind */
  rank: number;
  /** the addressee's day that it would count against, null where it counts against none */
  dayKey: string | null;
  addressee: Person | null;
  day: Day;
  isSettled: boolean;
}

/** What it counts as within a day: itself, or the gathered message that it is part of. */
const messageOf = (pending: Pending): string => messageKey(pending.step, pending.slot, pending.addressee, pending.day);

const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** Whether `a` is decided before `b`: by moment, then precedence of kind, then identity. */
function isBefore(a: Pending, b: Pending): boolean {
  if (a.at !== b.at) return a.at < b.at;
  const rank = a.rank - b.rank;
  if (rank !== 0) return rank < 0;
  const identity =
    order(a.slot.assignment, b.slot.assignment) ||
    order(a.slot.step, b.slot.step) ||
    a.slot.occurrence - b.slot.occurrence ||
    order(a.slot.to, b.slot.to);
  return identity !== 0 ? identity < 0 : a.slot.revision < b.slot.revision;
}

/** What is planned and what went, by addressee and local day, for the daily limit. */
class DayBook {
  private readonly planned = new Map<string, Pending[]>();
  private readonly went = new Map<string, string[]>();

  expect(pending: Pending): void {
    if (pending.dayKey === null) return;
    const list = this.planned.get(pending.dayKey);
    if (list) list.push(pending);
    else this.planned.set(pending.dayKey, [pending]);
  }

  record(pending: Pending): void {
    if (pending.dayKey === null) return;
    const list = this.went.get(pending.dayKey);
    if (list) list.push(messageOf(pending));
    else this.went.set(pending.dayKey, [messageOf(pending)]);
  }

  /** Messages that come before `pending` on its day; a gathered message that already counts takes no further place. */
  countBefore(pending: Pending, wouldGo: (other: Pending) => boolean): number {
    const planned = this.planned.get(pending.dayKey!) ?? [];
    const went = this.went.get(pending.dayKey!) ?? [];
    if (went.length === 0 && planned.length < 2) return 0;
    const messages = new Set(went);
    for (const other of planned)
      if (!other.isSettled && other.rank < pending.rank && !messages.has(messageOf(other)) && wouldGo(other))
        messages.add(messageOf(other));
    messages.delete(messageOf(pending));
    return messages.size;
  }
}

/**
 * Runs plans forward without sending: each notice is decided at its moment with what is known then, in the order in
 * which the dispatcher would take them. Pure; the same input in any order gives the same lines.
 */
export function rehearse({ from, until, roster, plans, assignments, withTrace = false }: RehearsalInput): RehearsalLine[] {
  const planOf = new Map(plans.map((plan) => [plan.course, plan]));
  const heap = new Heap<Pending>(isBefore);
  const book = new DayBook();
  const lines: RehearsalLine[] = [];

  const place = (pending: Pick<Pending, 'slot' | 'step' | 'assignment' | 'at' | 'held'>): void => {
    const { slot, step, assignment, at } = pending;
    let dayKey: string | null = null;
    let addressee: Person | null = null;
    let day: Day = 0;
    if (!isExemptFromLimit(step.kind) && roster.settings.dailyLimit !== null) {
      const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
      addressee = findRecipient(slot.to, roster.getPerson(assignment.person), owner, roster, at).person;
      if (addressee) {
        day = roster.calendarOf(addressee).zone.dayAt(at);
        dayKey = `${addressee.id}/${day}`;
      }
    }
    const full: Pending = {
      slot,
      step,
      assignment,
      at,
      held: pending.held,
      rank: precedenceOf(step.kind),
      dayKey,
      addressee,
      day,
      isSettled: false,
    };
    book.expect(full);
    heap.push(full);
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
        const at = slot.missed ? slot.knownAt : slot.at;
        if (at >= until || (slot.replacedAt !== null && at >= slot.replacedAt)) continue;
        place({ slot, step, assignment, at, held: null });
      }
    }
  }

  for (let pending = heap.pop(); pending; pending = heap.pop()) {
    pending.isSettled = true;
    const { slot, step, assignment, at, held } = pending;
    const current = pending;
    const decision = decide({
      slot,
      step,
      assignment,
      roster,
      now: at,
      countOf: () =>
        book.countBefore(
          current,
          (other) =>
            decide({
              slot: other.slot,
              step: other.step,
              assignment: other.assignment,
              roster,
              now: at,
              countOf: () => 0,
            }).kind === 'send',
        ),
    });
    const zone = roster.calendarOf(roster.getPerson(assignment.person)).zone;
    if (decision.kind === 'hold') {
      const next = decision.until;
      // held past the end, past an extension that replaces it, or until somebody mends an address: undecided
      if (next === null || next >= until || (slot.replacedAt !== null && next >= slot.replacedAt)) continue;
      place({ slot, step, assignment, at: next, held: decision.because });
      continue;
    }
    const addressee = decision.recipient.person;
    if (decision.kind === 'send') book.record(pending);
    if (at < from) continue;
    lines.push({
      assignment: slot.assignment,
      step: slot.step,
      revision: slot.revision,
      occurrence: slot.occurrence,
      to: slot.to,
      person: addressee?.id ?? null,
      outcome: decision.kind,
      at: slot.missed ? slot.moment : at,
      held,
      because: decision.kind === 'skip' ? decision.because : null,
      sentence: sentenceOf(decision, slot, step, zone, slot.missed ? slot.moment : at, held),
      slot,
      trace: withTrace ? decision.trace : [],
    });
  }
  return lines.sort(compareLines);
}

function waitLine(assignment: Assignment, step: Step): RehearsalLine {
  return {
    assignment: assignment.id, step: step.id, revision: 0, occurrence: 0, to: step.to[0]!, person: null, outcome: 'wait', at: null,
    held: null, because: null, sentence: waitSentence(step), slot: null, trace: [],
  }; // prettier-ignore
}

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
