import { assignedRevisions, effectiveEvents, type Assignment, type UnitOpening } from '../assignments/state.ts';
import { momentAfter } from '../plans/moment.ts';
import { spanFault } from '../plans/step.ts';
import { dayOf, msOfTime, weekdayOf, type Calendar, type LocalDate } from '../time/calendar.ts';
import { tellAmount, tellDate, tellMoment, tellWeekdays } from '../time/words.ts';
import type { Instant, Zone } from '../time/zone.ts';

export const RELEASE_UNITS = ['days', 'working days', 'weeks'] as const;

/**
 * When a unit opens for somebody, where that is not at once. Times of day are in the employee's zone; without one it is the
 * hour of the assignment. `nth` counts the weekdays that lie at or after the assignment from 1.
 */
export type Release =
  | { kind: 'after'; amount: number; unit: (typeof RELEASE_UNITS)[number]; at: string | null }
  | { kind: 'weekday'; weekday: number; nth: number; at: string }
  | { kind: 'on'; date: LocalDate; at: string }
  | { kind: 'finished'; unit: string }
  | { kind: 'passed'; unit: string };

/** What release looks at of a unit; null is open at once. */
export interface Released {
  id: string;
  title: string;
  kind: string;
  release: Release | null;
}

export type Opening =
  /** since when; null: from the assignment on */
  { kind: 'open'; since: Instant | null } | { kind: 'opens'; at: Instant } | { kind: 'waits'; unit: string; until: 'finished' | 'passed' };

const OPEN: Opening = { kind: 'open', since: null };

/** The moment that a release names by time alone, or null where it waits for something to happen. */
export function releaseMoment(release: Release, assignedAt: Instant, calendar: Calendar): Instant | null {
  switch (release.kind) {
    case 'after':
      return momentAfter(release, release.at, assignedAt, calendar);
    case 'on':
      return calendar.zone.toInstant(dayOf(release.date), msOfTime(release.at));
    case 'weekday': {
      const ms = msOfTime(release.at);
      const day = calendar.zone.dayAt(assignedAt);
      const first = day + ((release.weekday - weekdayOf(day) + 7) % 7);
      const skipped = calendar.zone.toInstant(first, ms) < assignedAt ? 1 : 0;
      return calendar.zone.toInstant(first + 7 * (release.nth - 1 + skipped), ms);
    }
    default:
      return null;
  }
}

/**
 * When each unit of a course opens for one assignment, as known at `now`. What was opened once stays open, and so does what
 * was finished; a new beginning counts from itself.
 * @param calendar of the employee
 */
export function openingsOf(
  units: readonly Released[],
  assignment: Pick<Assignment, 'assignedAt' | 'events' | 'dueAt'>,
  calendar: Calendar,
  now: Instant,
): Map<string, Opening> {
  const opened = new Map<string, Instant>();
  const finished = new Map<string, Instant>();
  const passed = new Map<string, Instant>();
  let { assignedAt } = assignment;
  if (assignment.events.length > 0) {
    assignedAt = assignedRevisions(assignment as Assignment, now).findLast(({ replacedAt }) => replacedAt === null)?.at ?? assignedAt;
    for (const event of effectiveEvents(assignment.events, now)) {
      if (event.at > now) continue;
      if (event.type === 'unit-opened' && !opened.has(event.unit)) opened.set(event.unit, event.at);
      else if (event.type === 'unit-finished' && !finished.has(event.unit)) finished.set(event.unit, event.at);
      else if ((event.type === 'quiz-submitted' || event.type === 'quiz-marked') && event.passed && event.unit && !passed.has(event.unit))
        passed.set(event.unit, event.at);
    }
  }
  const openings = new Map<string, Opening>();
  for (const { id, release } of units) openings.set(id, openingOf(id, release));
  return openings;

  function openingOf(id: string, release: Release | null): Opening {
    if (release === null) return OPEN;
    const since = opened.get(id) ?? finished.get(id);
    if (since !== undefined) return { kind: 'open', since };
    if (release.kind === 'finished' || release.kind === 'passed') {
      const at = (release.kind === 'finished' ? finished : passed).get(release.unit);
      return at === undefined ? { kind: 'waits', unit: release.unit, until: release.kind } : { kind: 'open', since: at };
    }
    const at = releaseMoment(release, assignedAt, calendar)!;
    if (at <= assignedAt) return OPEN;
    return at <= now ? { kind: 'open', since: at } : { kind: 'opens', at };
  }
}

/**
 * What is to become a `unit-opened`: each unit that opens at a moment that is known by now and was not recorded, past moments
 * too. Neither what was open from the assignment on nor what was finished.
 */
export function pendingOpenings(
  units: readonly Released[],
  assignment: Pick<Assignment, 'assignedAt' | 'events' | 'dueAt'>,
  calendar: Calendar,
): UnitOpening[] {
  const recorded = new Set<string>();
  for (const event of effectiveEvents(assignment.events, Infinity))
    if (event.type === 'unit-opened' || event.type === 'unit-finished') recorded.add(event.unit);
  const pending: UnitOpening[] = [];
  for (const [unit, opening] of openingsOf(units, assignment, calendar, Infinity))
    if (opening.kind === 'open' && opening.since !== null && !recorded.has(unit)) pending.push({ unit, at: opening.since });
  return pending;
}

const called = (title: string): string => `“${title}”`;

/** What is wrong with how the units of a course open, each by name: what can never open, and what is no span of time. */
export function releaseFaults(units: readonly Released[]): { unit: string; words: string }[] {
  const faults: { unit: string; words: string }[] = [];
  const unitOf = new Map(units.map((unit) => [unit.id, unit]));
  const never = new Set<string>();
  const fault = (unit: Released, words: string): void => {
    never.add(unit.id);
    faults.push({ unit: unit.id, words });
  };
  for (const unit of units) {
    const { release } = unit;
    if (release?.kind === 'after') {
      const span = spanFault(release);
      if (span) fault(unit, `${called(unit.title)}: ${span}.`);
    }
    if (release?.kind === 'weekday' && spanFault({ amount: release.nth, unit: 'weeks' }))
      fault(unit, `${called(unit.title)}: expected to open within ten years; got ${release.nth} weeks.`);
    if (release?.kind !== 'finished' && release?.kind !== 'passed') continue;
    const other = unitOf.get(release.unit);
    if (!other) fault(unit, `${called(unit.title)} can never open: the unit that it waits for is no longer part of the course.`);
    else if (other === unit) fault(unit, `${called(unit.title)} can never open: it waits for itself.`);
    else if (release.kind === 'passed' && other.kind !== 'quiz')
      fault(unit, `${called(unit.title)} can never open: it waits for ${called(other.title)} to be passed, and that is no quiz.`);
  }
  const waitsFor = (unit: Released): Released | null =>
    unit.release?.kind === 'finished' || unit.release?.kind === 'passed' ? (unitOf.get(unit.release.unit) ?? null) : null;
  const told = new Set<string>();
  for (const unit of units) {
    const path: Released[] = [];
    for (let at: Released | null = unit; at !== null && !never.has(at.id); at = waitsFor(at)) {
      const start = path.indexOf(at);
      if (start !== -1) {
        const ring = path.slice(start);
        if (!ring.some(({ id }) => told.has(id))) {
          const words = [...ring.slice(1), ring[0]!].map(({ title }, i) => `${called(ring[i]!.title)} waits for ${called(title)}`);
          faults.push({ unit: ring[0]!.id, words: `${words.join(', ')}: none of them can ever open.` });
        }
        for (const { id } of ring) told.add(id);
        break;
      }
      path.push(at);
    }
  }
  return faults;
}

/** `n` units opening one by one: "one more every Monday 08:00". */
export const oneMoreEvery = (weekday: number, at: string, count: number): Release[] =>
  Array.from({ length: count }, (_, i) => ({ kind: 'weekday', weekday, nth: i + 1, at }));

const ordinal = (n: number): string =>
  `${n}${n % 100 >= 11 && n % 100 <= 13 ? 'th' : n % 10 === 1 ? 'st' : n % 10 === 2 ? 'nd' : n % 10 === 3 ? 'rd' : 'th'}`;

/** "3 working days after the assignment, 08:00"; @param titleOf the title of the unit that it waits for */
export function tellRelease(release: Release | null, titleOf: (unit: string) => string | null): string {
  if (release === null) return 'at once';
  const unit = (id: string): string => called(titleOf(id) ?? 'a unit that is gone');
  switch (release.kind) {
    case 'after':
      return release.amount === 0
        ? `on the day of the assignment${release.at ? `, ${release.at}` : ''}`
        : `${tellAmount(release.amount, release.unit)} after the assignment${release.at ? `, ${release.at}` : ''}`;
    case 'weekday':
      return `on the ${release.nth === 1 ? 'first' : ordinal(release.nth)} ${tellWeekdays([release.weekday])} after the assignment, ${release.at}`;
    case 'on':
      return `on ${tellDate(dayOf(release.date))}, ${release.at}`;
    case 'finished':
      return `when ${unit(release.unit)} is finished`;
    case 'passed':
      return `when ${unit(release.unit)} is passed`;
  }
}

/** What somebody reads of a unit that is not open: "opens Mon 8 Mar 08:00". Null where it is open. */
export function tellOpening(opening: Opening, zone: Zone, now: Instant, titleOf: (unit: string) => string | null): string | null {
  if (opening.kind === 'open') return null;
  if (opening.kind === 'opens') return `opens ${tellMoment(opening.at, zone, now)}`;
  return `opens when ${called(titleOf(opening.unit) ?? 'a unit that is gone')} is ${opening.until}`;
}
