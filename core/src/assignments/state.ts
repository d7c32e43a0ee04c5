import { dayOf, type LocalDate } from '../time/calendar.ts';
import type { Instant, Zone } from '../time/zone.ts';
import { EVENTS, type AssignmentEvent, type EventNamed, type WithdrawnWhy } from './event.ts';

export const STATES = ['not started', 'in progress', 'finished', 'finished late', 'overdue', 'waived', 'withdrawn'] as const;
/** A person's state on an assignment, in words. */
/** Whether somebody still has to do something about it. */
export const isOpenState = (state: string): boolean => state === 'overdue' || state === 'in progress' || state === 'not started';
export type StateWord = (typeof STATES)[number];

/** One person's obligation to finish one course by one due date, with everything that happened to it. */
export interface Assignment {
  id: string;
  person: string;
  course: string;
  /** how often its person has had the course, this one among them; 1 where it is not said */
  round?: number;
  assignedAt: Instant;
  /** the first due date; extensions are events */
  dueAt: Instant;
  /** assigned by hand, so that taking it back means something while it settles */
  isByHand?: boolean;
  /** in the order of their instants */
  events: readonly AssignmentEvent[];
  /** units that open later, each at a moment that is known by now: what is to become a `unit-opened` */
  openings?: readonly UnitOpening[];
}

export interface UnitOpening {
  unit: string;
  at: Instant;
}

/** A stretch of time, `to` exclusive; null is without end. */
export interface Span {
  from: Instant;
  to: Instant | null;
}

/** A moment that an assignment hangs on, each time that it is set anew. */
export interface Revision {
  at: Instant;
  revision: number;
  knownAt: Instant;
  /** it was set by hand: what it would send waits until that has settled */
  isByHand: boolean;
  /** the event that set it was taken back */
  isTakenBack: boolean;
  /** when another one took its place, or it was taken back; null while it stands */
  replacedAt: Instant | null;
  /** spans in which it did not stand although it does now: what replaced it was taken back */
  gaps: readonly Span[];
  /** the event that it is, where each event is one */
  event?: AssignmentEvent | null;
}

const NO_GAPS: readonly Span[] = [];

/**
 * The events that count at an instant: those known by then, less those that were taken back by then. An `undone` may be
 * taken back like any other event; one that names nothing known does nothing.
 */
export function effectiveEvents(events: readonly AssignmentEvent[], now: Instant): readonly AssignmentEvent[] {
  let isPlain = true;
  for (const event of events) if (event.at > now || event.type === 'undone') isPlain = false;
  if (isPlain) return events;
  const known = events.filter((event) => event.at <= now);
  const takenBack = new Set<string>();
  for (let i = known.length - 1; i >= 0; i--) {
    const event = known[i]!;
    if (event.type !== 'undone' || (event.id !== undefined && takenBack.has(event.id))) continue;
    // only what is earlier can be taken back, so that two events never undo each other
    if (known.findIndex(({ id }) => id === event.event) < i) takenBack.add(event.event);
  }
  return known.filter(({ type, id }) => type !== 'undone' && (id === undefined || !takenBack.has(id)));
}

const hasUndone = (events: readonly AssignmentEvent[]): boolean => events.some(({ type }) => type === 'undone');

type Setting = Instant | 'none' | null;
interface Tracked extends Revision {
  event: AssignmentEvent | null;
  spans: Span[];
}

/**
 * Each time that an anchor was set, in the order in which that became known. Numbers are never given twice: what was
 * taken back keeps its own, since notices may have gone under it.
 * @param first what stands from the assignment on, or null where nothing does
 * @param sets the instant that an event sets, `none` where it takes away what stood, null where it has no part in it
 */
export function revisionsOf(
  assignment: Assignment,
  first: Instant | null,
  sets: (event: AssignmentEvent) => Setting,
  now: Instant,
): Revision[] {
  const { events, assignedAt } = assignment;
  const list: Tracked[] = [];
  const add = (at: Instant, knownAt: Instant, event: AssignmentEvent | null): Tracked => {
    const isByHand = event === null ? (assignment.isByHand ?? false) : event.byHand === true;
    const made = { at, revision: list.length, knownAt, isByHand, isTakenBack: false, replacedAt: null, gaps: NO_GAPS, event, spans: [] };
    list.push(made);
    return made;
  };
  let standing = null as Tracked | null;
  const stand = (next: Tracked | null, at: Instant): void => {
    if (next === standing) return;
    if (standing) standing.spans.at(-1)!.to = at;
    next?.spans.push({ from: at, to: null });
    standing = next;
  };
  if (first !== null) stand(add(first, assignedAt, null), assignedAt);
  const undoes = hasUndone(events);
  for (let i = 0; i < events.length; i++) {
    const event = events[i]!;
    if (event.at > now) continue;
    const setting = sets(event);
    if (typeof setting === 'number') add(setting, event.at, event);
    else if (setting === null && event.type !== 'undone') continue;
    if (!undoes) stand(setting === 'none' ? null : list.at(-1)!, event.at);
    else {
      // what stands is what the last event set that counts
      const last = effectiveEvents(events.slice(0, i + 1), now).findLast((earlier) => sets(earlier) !== null) ?? null;
      const isNone = last !== null && sets(last) === 'none';
      stand(isNone ? null : (list.findLast((revision) => revision.event === last) ?? null), event.at);
    }
  }
  const counting = undoes ? new Set(effectiveEvents(events, now)) : null;
  for (const revision of list) {
    revision.isTakenBack = counting !== null && revision.event !== null && !counting.has(revision.event);
    if (revision === standing) revision.replacedAt = null;
    else revision.replacedAt = revision.spans.at(-1)?.to ?? revision.knownAt;
    if (revision.spans.length > 1)
      revision.gaps = revision.spans.slice(1).map((span, i) => ({ from: revision.spans[i]!.to!, to: span.from }));
  }
  return list;
}

/** What somebody does in a course. */
export const isActivity = ({ type }: AssignmentEvent): boolean =>
  type === 'started' || type === 'unit-opened' || type === 'unit-finished' || type === 'quiz-submitted';

/** When something was last done; when it was assigned, or began anew, where nothing was since. */
export function activityAt(assignment: Assignment, now: Instant): Instant {
  let last = assignment.assignedAt;
  for (const event of effectiveEvents(assignment.events, now))
    if (event.at <= now && (isActivity(event) || event.type === 'reopened')) last = Math.max(last, event.at);
  return last;
}

const dueOf = (event: AssignmentEvent): Instant | null => (event.type === 'extended' || event.type === 'reopened' ? event.dueAt : null);
const beginningOf = (event: AssignmentEvent): Instant | null => (event.type === 'reopened' ? event.at : null);

/** The due dates of an assignment, as known at an instant: the first, and one for each extension and each new beginning. */
export function dueRevisions(assignment: Assignment, now: Instant): Revision[] {
  return revisionsOf(assignment, assignment.dueAt, dueOf, now);
}

/** When an assignment was made, and each time that it began anew. */
export function assignedRevisions(assignment: Assignment, now: Instant): Revision[] {
  return revisionsOf(assignment, assignment.assignedAt, beginningOf, now);
}

/** The revision that stands. */
export const standingRevision = (list: readonly Revision[]): Revision => list.findLast(({ replacedAt }) => replacedAt === null)!;

export type ClosedBy = 'finished' | 'waived' | 'withdrawn';

export interface Standing {
  state: StateWord;
  dueAt: Instant;
  dueRevision: number;
  startedAt: Instant | null;
  /** when it was finished: for one that was recorded later the beginning of that day */
  finishedAt: Instant | null;
  /** the day of one that was recorded later; nobody knows its hour */
  finishedOn: LocalDate | null;
  /** what closed it: null while it is open */
  closedBy: ClosedBy | null;
  /** when it was closed: `finishedAt`, or the moment of the waiver or withdrawal */
  closedAt: Instant | null;
  /** why it was withdrawn; `undone` is an assignment that was taken back */
  closedBecause: WithdrawnWhy | 'undone' | null;
  /** what closed it, for its reasons and its end */
  closing: EventNamed<ClosedBy> | EventNamed<'undone'> | null;
  unitsFinished: ReadonlySet<string>;
}

/** The state in words. Due this very moment is not late. */
export function stateWord(
  { closedBy, finishedAt, dueAt, startedAt }: Pick<Standing, 'closedBy' | 'finishedAt' | 'dueAt' | 'startedAt'>,
  now: Instant,
): StateWord {
  if (closedBy === 'finished') return finishedAt! > dueAt ? 'finished late' : 'finished';
  if (closedBy !== null) return closedBy;
  if (now > dueAt) return 'overdue';
  return startedAt !== null ? 'in progress' : 'not started';
}

/** How an assignment stands at an instant, from the events known by then: a pure function of them, whatever was undone. */
export function standingAt(assignment: Assignment, now: Instant): Standing {
  const { at: dueAt, revision: dueRevision } = standingRevision(dueRevisions(assignment, now));
  let startedAt: Instant | null = null;
  let closing: Standing['closing'] = null;
  const unitsFinished = new Set<string>();
  const counting = effectiveEvents(assignment.events, now);
  for (const event of counting) {
    if (event.at > now) continue;
    if (event.type === 'finished' || event.type === 'waived' || event.type === 'withdrawn') closing ??= event;
    else if (event.type === 'reopened') closing = null;
    else if (event.type === 'unit-finished') unitsFinished.add(event.unit);
    if (startedAt === null && 'begins' in EVENTS[event.type]) startedAt = event.at;
  }
  // an assignment that was taken back is closed whatever happened to it since
  const takenBack = findTakenBack(assignment, counting, now);
  if (takenBack) closing = takenBack;
  const closedBy = closing === null ? null : closing.type === 'undone' ? 'withdrawn' : closing.type;
  const finishedAt = closing?.type === 'finished' ? (closing.onAt ?? closing.at) : null;
  return {
    state: stateWord({ closedBy, finishedAt, dueAt, startedAt }, now),
    dueAt,
    dueRevision,
    startedAt,
    finishedAt,
    finishedOn: closing?.type === 'finished' ? (closing.on ?? null) : null,
    closedBy,
    closedAt: finishedAt ?? closing?.at ?? null,
    closedBecause: closing?.type === 'undone' ? 'undone' : closing?.type === 'withdrawn' ? (closing.because ?? 'by-hand') : null,
    closing,
    unitsFinished,
  };
}

/** The event that took the assignment itself back, or null. */
function findTakenBack(assignment: Assignment, counting: readonly AssignmentEvent[], now: Instant): EventNamed<'undone'> | null {
  const { events } = assignment;
  const assigned = events.find(({ type }) => type === 'assigned');
  if (!assigned || counting.includes(assigned) || assigned.at > now) return null;
  return (
    events.find((event): event is EventNamed<'undone'> => event.type === 'undone' && event.event === assigned.id && event.at <= now) ?? null
  );
}

/**
 * The spans in which an assignment was closed by something that was taken back later: what was to go in them is taken up
 * when they end, as if they had not been.
 */
export function closedGaps(assignment: Assignment, now: Instant): readonly Span[] {
  if (!hasUndone(assignment.events)) return NO_GAPS;
  const gaps: Span[] = [];
  let from: Instant | null = null;
  for (const { at } of assignment.events) {
    if (at > now) continue;
    const isClosed = standingAt(assignment, at).closedBy !== null;
    if (isClosed) from ??= at;
    else if (from !== null) {
      const counting = effectiveEvents(assignment.events, at);
      // begun anew is not the same as never closed
      if (!counting.some((event) => event.type === 'reopened' && event.at >= from!)) gaps.push({ from, to: at });
      from = null;
    }
  }
  return gaps;
}

/** As it was known at each moment; or as is known now. */
export const KNOWN = ['then', 'now'] as const;
export type Known = (typeof KNOWN)[number];

/** A stretch in which an assignment stood open with one due date, or closed for one reason. */
export interface Interval extends Span {
  dueAt: Instant;
  closedBy: ClosedBy | null;
  closedBecause: Standing['closedBecause'];
  /** when it was closed: the moment, or the beginning of the day of a completion that was recorded later */
  closedAt: Instant | null;
  /** the day of a completion that was recorded later */
  finishedOn: LocalDate | null;
  /** the last day of a waiver */
  waivedUntil: LocalDate | null;
  /** since when it is in progress, within this stretch or before it; null where it is not begun in it */
  startedAt: Instant | null;
}

type Stood = Omit<Interval, 'from' | 'to'>;
const stoodOf = ({ dueAt, closedBy, closedBecause, closedAt, finishedOn, closing, startedAt }: Standing): Stood => ({
  dueAt,
  closedBy,
  closedBecause,
  closedAt,
  finishedOn,
  waivedUntil: closing?.type === 'waived' ? (closing.until ?? null) : null,
  startedAt,
});
/** One that is begun goes on as it stood; one whose beginning was taken back does not. */
const isSame = (a: Stood, b: Stood): boolean =>
  a.dueAt === b.dueAt &&
  a.closedBy === b.closedBy &&
  a.closedBecause === b.closedBecause &&
  a.closedAt === b.closedAt &&
  a.finishedOn === b.finishedOn &&
  a.waivedUntil === b.waivedUntil &&
  (a.startedAt === null || a.startedAt === b.startedAt);

/**
 * The history of an assignment as intervals that follow on each other from `assignedAt`.
 * `then`: as it was known at each moment, from the one on at which it went on the record; `now`: as is known today, without what was taken back and with what was
 * recorded later standing at its own date.
 */
export function intervalsOf(assignment: Assignment, reading: Known, now: Instant): Interval[] {
  const list: Interval[] = [];
  const put = (from: Instant, stood: Stood): void => {
    const last = list.at(-1);
    if (last && isSame(last, stood)) {
      last.startedAt = stood.startedAt;
      return;
    }
    if (last) last.to = from;
    // two things in one moment: the later one counts
    if (last && last.from === from) list.pop();
    list.push({ from, to: null, ...stood });
  };
  const open = { closedBy: null, closedBecause: null, closedAt: null, finishedOn: null, waivedUntil: null, startedAt: null } as const;
  const events = reading === 'then' ? assignment.events.filter(({ at }) => at <= now) : effectiveEvents(assignment.events, now);
  const seen = reading === 'then' ? assignment : { ...assignment, events };
  if (reading === 'now' && standingAt(assignment, now).closedBecause === 'undone') {
    put(assignment.assignedAt, { ...open, dueAt: assignment.dueAt, closedBy: 'withdrawn', closedBecause: 'undone' });
    return list;
  }
  // what was recorded later than it began was known to nobody before
  const recorded = reading === 'then' ? events.find(({ type }) => type === 'assigned') : undefined;
  const begins = Math.max(assignment.assignedAt, recorded?.at ?? assignment.assignedAt);
  put(begins, { ...open, dueAt: assignment.dueAt });
  for (const event of events) {
    if (event.at > now) continue;
    const standing = standingAt(seen, event.at);
    const isBackdated = reading === 'now' && standing.closing === event && standing.finishedAt !== null;
    if (!isBackdated) {
      put(Math.max(event.at, begins), stoodOf(standing));
      continue;
    }
    // the completion stands at its own date: what lies after it is closed already
    const from = Math.max(standing.finishedAt!, assignment.assignedAt);
    while (list.length > 1 && list.at(-1)!.from >= from) list.pop();
    list.at(-1)!.to = null;
    put(from, stoodOf(standing));
  }
  return list;
}

/** Who sees to it, as the due date stands; null where nobody does, the date was moved since, or the promised day has passed where they are. */
export function takenUpAt(assignment: Assignment, now: Instant, zone: Zone): EventNamed<'taken-up'> | null {
  const counting = effectiveEvents(assignment.events, now).filter(({ at }) => at <= now);
  const last = counting.findLast((event) => event.type === 'taken-up' || event.type === 'extended' || event.type === 'reopened');
  return last?.type === 'taken-up' && zone.dayAt(now) <= dayOf(last.until) ? last : null;
}
