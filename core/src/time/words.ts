import { dateOf, dayOf, weekdayOf, type LocalDate } from './calendar.ts';
import { MINUTE, type Day, type Instant, type Zone } from './zone.ts';

const WEEKDAYS = ['', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

/** In full, from Monday on. */
export const WEEKDAY_NAMES = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const;

/** Days of a week: `Mon to Fri`, or each. @param days 1 (Monday) … 7 (Sunday), in any order */
export function tellWeekdays(days: readonly number[]): string {
  const sorted = [...new Set(days)].sort();
  if (sorted.length === 0) return 'none';
  return sorted.join() === '1,2,3,4,5' ? 'Mon to Fri' : sorted.map((day) => WEEKDAYS[day]).join(', ');
}
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

const two = (n: number): string => (n < 10 ? `0${n}` : String(n));

// few days are told again and again
const told = new Map<Day, string>();

/** `Tue 3 Mar`; with the year, `Tue 3 Mar 2026`, where it is not the year of `today`. */
export function tellDay(day: Day, today: Day | null = null): string {
  if (today !== null && dateOf(day).slice(0, 4) !== dateOf(today).slice(0, 4)) return `${tellDay(day)} ${dateOf(day).slice(0, 4)}`;
  let words = told.get(day);
  if (words === undefined) {
    const date = dateOf(day);
    words = `${WEEKDAYS[weekdayOf(day)]} ${Number(date.slice(8))} ${MONTHS[Number(date.slice(5, 7)) - 1]}`;
    told.set(day, words);
  }
  return words;
}

/** `3 March 2026`-like date with its year: `3 Mar 2026`. */
export function tellDate(day: Day): string {
  const date = dateOf(day);
  return `${Number(date.slice(8))} ${MONTHS[Number(date.slice(5, 7)) - 1]} ${date.slice(0, 4)}`;
}

/** `09:00` on the zone's wall clock. */
export function tellTime(instant: Instant, zone: Zone): string {
  const minutes = Math.floor(zone.toLocal(instant).ms / MINUTE);
  return `${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;
}

/** `Tue 3 Mar 09:00` on the zone's wall clock; with the year where it is not the year of `now` there. */
export function tellMoment(instant: Instant, zone: Zone, now: Instant | null = null): string {
  return `${tellDay(zone.dayAt(instant), now === null ? null : zone.dayAt(now))} ${tellTime(instant, zone)}`;
}

/** When something was finished, or recorded as finished: a moment, or a day where nobody knows the hour. */
export function tellFinished(
  fact: { finishedAt: Instant | null; finishedOn: LocalDate | null },
  zone: Zone,
  now: Instant | null = null,
): string | null {
  if (fact.finishedAt === null) return null;
  return fact.finishedOn !== null ? tellDate(dayOf(fact.finishedOn)) : tellMoment(fact.finishedAt, zone, now);
}

/** The time of a zone in words: `Oslo time`. */
export const zoneWords = (zone: string): string => `${zone.split('/').at(-1)!.replace(/_/g, ' ')} time`;

/** ISO 8601 in UTC, without a fraction where there is none: `2027-03-17T08:00:00Z`. */
export function isoOf(instant: Instant): string {
  return new Date(instant).toISOString().replace('.000Z', 'Z');
}

/** `1 day`, `3 working days`, `1 person`, `1,250 people`. */
export function tellAmount(amount: number, unit: string): string {
  const n = Math.abs(amount);
  return `${n < 1_000 ? n : n.toLocaleString('en')} ${n === 1 ? (unit === 'people' ? 'person' : unit.replace(/ies$/, 'y').replace(/s$/, '')) : unit}`;
}

/** `a`, `a and b`, `a, b and c`. */
export function tellList(words: readonly string[], joint = 'and'): string {
  if (words.length < 2) return words.join('');
  return `${words.slice(0, -1).join(', ')} ${joint} ${words.at(-1)}`;
}
