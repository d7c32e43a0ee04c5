import type { WithdrawnWhy } from '../assignments/event.ts';
import { addDays, addMonths, dateOf, dayOf, msOfTime, type Calendar, type LocalDate } from '../time/calendar.ts';
import { tellDate, tellMoment } from '../time/words.ts';
import type { Instant } from '../time/zone.ts';
import { earliest, monthsBefore, type Matcher } from './audience.ts';
import { dueFor, type Requirement, type RequirementPerson } from './requirement.ts';

/** A course that somebody finished. */
export interface Finish {
  on: LocalDate;
  /** the last day of its certificate, null where it has none or it never runs out */
  expiresOn: LocalDate | null;
  /** the certificate was revoked: it does not count */
  isRevoked: boolean;
}

export type ClosedHow = 'waived' | 'withdrawn';
export type WithdrawnBecause = WithdrawnWhy;

/** Why somebody has a course: a requirement that asks for it, and what it said then. */
export interface Reason {
  requirement: string;
  /** the person fell out of the audience and nobody has said yet what becomes of the assignment */
  isOut: boolean;
  /** somebody said that the assignment stays although the requirement no longer asks for it */
  isKept: boolean;
}

/** How one person stands with one course. */
export interface CourseRecord {
  course: string;
  finishes: readonly Finish[];
  open: { id: string; dueAt: Instant; isByHand: boolean; reasons: readonly Reason[] } | null;
  /** the newest assignment, where it was closed without finishing */
  closed: {
    id: string;
    how: ClosedHow;
    because: WithdrawnBecause | null;
    closedAt: Instant;
    /** last day of a waiver, null where it has no end */
    waivedUntil: LocalDate | null;
    assignedAt: Instant;
    dueAt: Instant;
    isByHand: boolean;
  } | null;
}

export const noRecord = (course: string): CourseRecord => ({ course, finishes: [], open: null, closed: null });

/**
 * How a requirement stands to a person today: whether it asks for the course now, will, or does not, and why. `wakeOn` is
 * the day on which that may change although nobody changes anything.
 */
export type RequirementStanding =
  | { kind: 'out'; because: 'left' | 'audience' | 'not-a-member' | 'before' | 'ended'; wakeOn: LocalDate | null }
  | { kind: 'waits'; until: LocalDate; because: 'joins' | 'begins'; wakeOn: LocalDate }
  | { kind: 'covered'; finishedOn: LocalDate; until: LocalDate | null; wakeOn: LocalDate | null }
  | { kind: 'waived'; until: LocalDate | null; wakeOn: LocalDate | null }
  | { kind: 'withdrawn'; wakeOn: LocalDate | null }
  | { kind: 'due'; assignedAt: Instant; dueAt: Instant; because: string; isRenewal: boolean; wakeOn: LocalDate | null };

/** A local morning: when somebody who joins, or whose renewal begins, is assigned. */
export const morningOf = (date: LocalDate, calendar: Calendar, from: string): Instant =>
  calendar.zone.toInstant(dayOf(date), msOfTime(from));

interface Days {
  now: Instant;
  morning: string;
  today: LocalDate;
  /** today, and before the morning the day before: an assignment is made in the morning, until then the day has not begun */
  current: LocalDate;
}
// everyone of a site is looked at in the same moment
const daysOf = new WeakMap<Calendar, Days>();

function daysAt(calendar: Calendar, now: Instant, morning: string): Days {
  const known = daysOf.get(calendar);
  if (known && known.now === now && known.morning === morning) return known;
  const today = dateOf(calendar.zone.dayAt(now));
  const days = { now, morning, today, current: now < morningOf(today, calendar, morning) ? addDays(today, -1) : today };
  daysOf.set(calendar, days);
  return days;
}

export interface StandingFacts {
  person: RequirementPerson;
  calendar: Calendar;
  now: Instant;
  /** local time at which a day of sending begins */
  morning: string;
}

/** The day from which a requirement asks something of a person: the latest of switching on, its first day, and joining. */
function beginsOn(requirement: Requirement, person: RequirementPerson, calendar: Calendar, now: Instant): LocalDate {
  const days = [dateOf(calendar.zone.dayAt(requirement.switchedOnAt ?? now)), requirement.from, person.joinedOn].filter(
    (day) => day !== null,
  );
  return days.reduce((latest, day) => (day > latest ? day : latest));
}

/** The finish that covers a person longest under a requirement, and until when. */
export function coverOf(
  requirement: Requirement,
  record: CourseRecord,
  begins: LocalDate,
): { finishedOn: LocalDate; until: LocalDate | null } | null {
  const { creditMonths, renewal } = requirement;
  const earliestThatCounts = creditMonths === null ? null : monthsBefore(begins, creditMonths);
  let best: { finishedOn: LocalDate; until: LocalDate | null } | null = null;
  for (const { on, expiresOn, isRevoked } of record.finishes) {
    if (isRevoked || (earliestThatCounts !== null && on < earliestThatCounts)) continue;
    const runsOut = renewal ? dateOf(addMonths(dayOf(on), renewal.months)) : null;
    // with a renewal the certificate's own end counts too: what has expired is not held, whatever the requirement says
    const until = renewal && expiresOn !== null && expiresOn < runsOut! ? expiresOn : runsOut;
    if (best === null || until === null || (best.until !== null && until > best.until)) best = { finishedOn: on, until };
  }
  return best;
}

/** How a requirement that is on stands to a person. Pure; the audience comes ready as a matcher. */
export function standingOf(requirement: Requirement, matcher: Matcher, facts: StandingFacts, record: CourseRecord): RequirementStanding {
  const { person, calendar, now, morning } = facts;
  const { today, current } = daysAt(calendar, now, morning);
  if (person.leftOn !== null && person.leftOn <= today) return { kind: 'out', because: 'left', wakeOn: null };
  const change = matcher.changesOn(person);
  const wake = (...days: (LocalDate | null)[]): LocalDate | null =>
    earliest([change, person.leftOn, ...days].filter((day) => day !== null && day > current) as LocalDate[]);
  if (!matcher.test(person)) return { kind: 'out', because: 'audience', wakeOn: wake() };
  if (!requirement.takesJoiners && requirement.switchedOnAt !== null && !person.memberOf.includes(requirement.id))
    return { kind: 'out', because: 'not-a-member', wakeOn: null };
  // what is open stays so after the last day: it only assigns no more
  if (requirement.until !== null && today > requirement.until && !record.open) return { kind: 'out', because: 'ended', wakeOn: wake() };
  if (requirement.from !== null && today < requirement.from)
    return { kind: 'waits', until: requirement.from, because: 'begins', wakeOn: wake(requirement.from)! };
  if (person.joinedOn !== null && current < person.joinedOn)
    return { kind: 'waits', until: person.joinedOn, because: 'joins', wakeOn: wake(person.joinedOn)! };
  const begins = beginsOn(requirement, person, calendar, now);
  const cover = coverOf(requirement, record, begins);
  const renewFrom = cover?.until && requirement.renewal ? addDays(cover.until, -requirement.renewal.leadDays) : null;
  if (cover && (cover.until === null || current < renewFrom!))
    return { kind: 'covered', finishedOn: cover.finishedOn, until: cover.until, wakeOn: wake(renewFrom) };
  const { closed } = record;
  if (closed?.how === 'waived' && (closed.waivedUntil === null || closed.waivedUntil >= today))
    return { kind: 'waived', until: closed.waivedUntil, wakeOn: wake(closed.waivedUntil && addDays(closed.waivedUntil, 1)) };
  // somebody took it away by hand after it was last asked for: that stands until the next round
  if (closed?.how === 'withdrawn' && closed.because === 'by-hand' && (!cover || dateOf(calendar.zone.dayAt(closed.closedAt)) >= renewFrom!))
    return { kind: 'withdrawn', wakeOn: wake() };
  const isRenewal = cover !== null;
  const due = dueFor(requirement, person, calendar, now, isRenewal ? cover.until : null);
  const because = isRenewal
    ? `finished on ${tellDate(dayOf(cover.finishedOn))}, ` +
      `which counts until ${tellDate(dayOf(cover.until!))}; ` +
      `the next round is due ${tellMoment(due.at, calendar.zone)}`
    : `due ${tellMoment(due.at, calendar.zone)}${due.isGrace ? `, ${requirement.graceDays} days after assignment since the date by its rule had passed` : ''}`;
  return { kind: 'due', assignedAt: now, dueAt: due.at, because, isRenewal, wakeOn: wake() };
}
