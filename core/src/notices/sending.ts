import type { NoticesOf } from '../conditions/further.ts';
import { addresseeOf } from './addressee.ts';
import type { Person, Roster } from '../people/person.ts';
import type { Assignment } from '../assignments/state.ts';
import { isExemptFromLimit, precedenceOf, type Step } from '../plans/step.ts';
import { tellMoment } from '../time/words.ts';
import { MINUTE, type Day, type Instant } from '../time/zone.ts';
import type { HoldReason } from './decide.ts';
import { keyOf, type Slot } from './slot.ts';
import { isDaily } from './window.ts';

/**
 * The sender's decisions, once: in which order notices of a day are decided, which of them make one message, how full
 * somebody's day is, and what an outage overtakes. The rehearsal, the previews and the dispatcher all go by these.
 */

/** Notices later than this after their moment count as overdue for sending: the sign of an outage. */
export const OUTAGE = 15 * MINUTE;

/** A notice that waits to be decided. */
export interface Waiting {
  slot: Slot;
  step: Step;
  assignment: Assignment;
  /** when it was to be decided: its moment, or the end of what held it */
  plannedAt: Instant;
  held: HoldReason | null;
}

const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** The order in which waiting notices are decided: by moment, then precedence of kind, then identity. Negative: `a` first. */
export function compareWaiting(a: Waiting, b: Waiting): number {
  return (
    a.plannedAt - b.plannedAt ||
    precedenceOf(a.step.kind) - precedenceOf(b.step.kind) ||
    order(a.slot.assignment, b.slot.assignment) ||
    order(a.slot.step, b.slot.step) ||
    a.slot.occurrence - b.slot.occurrence ||
    order(a.slot.to, b.slot.to) ||
    a.slot.revision - b.slot.revision
  );
}

const textKeys = new WeakMap<Step, string>();

/** What makes gathered notices of one day one message: their kind, their time and their text; the step, where it has none. */
function textKeyOf(step: Step & { message?: unknown }): string {
  let key = textKeys.get(step);
  if (key === undefined)
    textKeys.set(step, (key = step.message === undefined ? step.id : `${step.kind}/${step.at}/${JSON.stringify(step.message)}`));
  return key;
}

/** A recipient's gathered notices of one text on one local day share this key, and all of a day of who chose that; each other notice has its own. */
export function messageKey(
  step: Step,
  slot: Pick<Slot, 'assignment' | 'step' | 'revision' | 'occurrence' | 'to'>,
  reader: Person | null,
  day: Day,
): string {
  if (isDaily(step, slot.to, reader)) return `${reader!.id}/${day}/all of it/${step.by ?? ''}`;
  return sectionKey(step, slot, reader, day);
}

/** The same without regard to a reader who hears of a day at once: what is told together in one piece of their message. */
export const sectionKey = (
  step: Step,
  slot: Pick<Slot, 'assignment' | 'step' | 'revision' | 'occurrence' | 'to'>,
  reader: Person | null,
  day: Day,
): string => (step.gather === 'per day' ? `${reader?.id ?? slot.to}/${day}/${textKeyOf(step)}` : keyOf(slot));

/** Whether a notice may share its message with others of its reader's day. */
export const isGathered = (step: Step, slot: Pick<Slot, 'to'>, reader: Person | null): boolean =>
  step.gather === 'per day' || isDaily(step, slot.to, reader);

/** One notice's claim to a place in somebody's local day. */
export interface Place {
  /** whose day, and which: null where it counts against nobody's */
  dayKey: string | null;
  message: string;
  rank: number;
  isSettled: boolean;
}

/** The place that a notice would take if it went at `at`: none for what is exempt or goes to an address outside. */
export function placeOf(waiting: Pick<Waiting, 'slot' | 'step' | 'assignment'>, roster: Roster, at: Instant, noticesOf?: NoticesOf): Place {
  const { slot, step } = waiting;
  if (!isLimited(step, roster)) return placeFor(step, slot, null, roster, at);
  return placeFor(step, slot, addresseeOf(waiting, roster, at, noticesOf).person, roster, at);
}

const isLimited = (step: Step, roster: Roster): boolean => !isExemptFromLimit(step.kind) && roster.settings.dailyLimit !== null;

/** The same for a known addressee. */
export function placeFor(step: Step, slot: Slot, addressee: Person | null, roster: Roster, at: Instant): Place {
  const rank = precedenceOf(step.kind);
  if (addressee === null || !isLimited(step, roster)) return { dayKey: null, message: keyOf(slot), rank, isSettled: false };
  const day = roster.calendarOf(addressee).zone.dayAt(at);
  return { dayKey: `${addressee.id}/${day}`, message: messageKey(step, slot, addressee, day), rank, isSettled: false };
}

/** Of one message on somebody's day: the notices in it that are still to be decided. */
interface Expected<T> {
  rank: number;
  waiting: { place: Place; who: T }[];
  /** how many of these, from the first on, are decided */
  settled: number;
}

/** What is planned and what went, by addressee and local day, for the daily limit. `T` is who may still take a place. */
export class DayBook<T extends { place: Place }> {
  // by message, so that a manager's day of thousands of gathered notices costs as much as one of few
  private readonly planned = new Map<string, Map<string, Expected<T>>>();
  private readonly went = new Map<string, Set<string>>();

  /** Notes that a notice is to be decided that day. */
  expect(who: T): void {
    const { place } = who;
    const { dayKey, message, rank } = place;
    if (dayKey === null) return;
    let day = this.planned.get(dayKey);
    if (!day) this.planned.set(dayKey, (day = new Map()));
    const known = day.get(message);
    if (known) known.waiting.push({ place, who });
    else day.set(message, { rank, waiting: [{ place, who }], settled: 0 });
  }

  /** Notes that a message went. */
  record({ dayKey, message }: Pick<Place, 'dayKey' | 'message'>): void {
    if (dayKey === null) return;
    const set = this.went.get(dayKey);
    if (set) set.add(message);
    else this.went.set(dayKey, new Set([message]));
  }

  /**
   * Messages that come before this place on its day: those that went, and those still to come which take precedence and
   * would go. A gathered message that already counts takes no further place.
   */
  countBefore(place: Place, wouldGo: (other: T) => boolean): number {
    const went = this.went.get(place.dayKey!);
    let count = went ? went.size - (went.has(place.message) ? 1 : 0) : 0;
    for (const [message, expected] of this.planned.get(place.dayKey!) ?? []) {
      if (expected.rank >= place.rank || message === place.message || went?.has(message)) continue;
      const { waiting } = expected;
      while (waiting[expected.settled]?.place.isSettled) expected.settled++;
      for (let i = expected.settled; i < waiting.length; i++) {
        if (waiting[i]!.place.isSettled || !wouldGo(waiting[i]!.who)) continue;
        count++;
        break;
      }
    }
    return count;
  }
}

/** Whether an outage may overtake a notice: not invitations, certificates, and what was held for leave or a full day; what somebody held is. */
export const mayBeOvertaken = ({ step, held }: Pick<Waiting, 'step' | 'held'>): boolean =>
  !isExemptFromLimit(step.kind) && (held === null || held === 'on-hold');

/** Since when a notice is late: what somebody held, since its own moment. */
export const lateSince = ({ slot, plannedAt, held }: Pick<Waiting, 'slot' | 'plannedAt' | 'held'>): Instant =>
  held === 'on-hold' ? Math.max(slot.moment, slot.knownAt) : plannedAt;

/** A notice that is overdue, or that went in this very moment. */
export interface Overdue extends Waiting {
  hasGone?: boolean;
}

/**
 * After an outage, or when a hold ends, of an assignment's notices to the same role that are all overdue only the one with the latest own
 * moment goes. One that would not go itself (held, skipped) takes nobody's place.
 * @param overdue notices to be decided at `now`, of any assignments
 * @param wouldGo whether one would be sent, were it alone
 * @returns by what each of the others is overtaken, in words
 */
export function overtakenBy(
  overdue: readonly Overdue[],
  roster: Roster,
  now: Instant,
  wouldGo: (waiting: Waiting) => boolean,
): Map<Slot, string> {
  const latest = new Map<string, Overdue>();
  const overtaken = new Map<Slot, string>();
  const groupOf = ({ slot }: Waiting): string => `${slot.assignment}/${slot.to}`;
  const candidates = overdue.filter((waiting) => waiting.plannedAt <= now && mayBeOvertaken(waiting));
  for (const waiting of candidates) {
    const known = latest.get(groupOf(waiting));
    const isLater =
      !known ||
      waiting.slot.moment > known.slot.moment ||
      (waiting.slot.moment === known.slot.moment && compareWaiting(known, waiting) < 0);
    if (isLater && (waiting.hasGone || wouldGo(waiting))) latest.set(groupOf(waiting), waiting);
  }
  for (const waiting of candidates) {
    const last = latest.get(groupOf(waiting));
    if (!last || last === waiting || waiting.hasGone || now - lateSince(waiting) <= OUTAGE || waiting.slot.moment > last.slot.moment)
      continue;
    const { zone } = roster.calendarOf(roster.getPerson(waiting.assignment.person));
    overtaken.set(waiting.slot, `“${last.step.name}” of ${tellMoment(last.slot.moment, zone, now)}`);
  }
  return overtaken;
}
