import { dateOf, weekdayOf } from '../time/calendar.ts';
import { WEEKDAY_NAMES } from '../time/words.ts';
import type { Day, Instant, Zone } from '../time/zone.ts';

export const RHYTHMS = ['day', 'week', 'month'] as const;
/** How often something is sent by itself: each day, on a weekday (1 is Monday), or on a day of the month, at an hour of the house. */
export interface Rhythm {
  every: (typeof RHYTHMS)[number];
  /** a weekday from 1 to 7, or a day of the month from 1 to 31; null each day. A month that is shorter has it on its last day */
  on: number | null;
  /** `08:00` */
  at: string;
}

/** What is wrong with one, or null. */
export function rhythmFault({ every, on }: Rhythm): string | null {
  const most = every === 'week' ? 7 : every === 'month' ? 31 : 0;
  if (every === 'day') return on === null ? null : 'each day has no day to choose';
  return on !== null && Number.isInteger(on) && on >= 1 && on <= most ? null : `expected a day from 1 to ${most}`;
}

const fits = ({ every, on }: Rhythm, day: Day): boolean => {
  if (every === 'day') return true;
  if (every === 'week') return weekdayOf(day) === on;
  const date = Number(dateOf(day).slice(8));
  return date === on || (date < on! && Number(dateOf(day + 1).slice(8)) === 1);
};

/** The next moment of a rhythm that is after another. An hour that a day leaves out comes with the change of the clocks. */
export function nextOf(rhythm: Rhythm, after: Instant, zone: Zone): Instant {
  const [hours, minutes] = rhythm.at.split(':').map(Number) as [number, number];
  const ms = (hours * 60 + minutes) * 60_000;
  // 62 days have each weekday and the end of a month
  for (let day = zone.dayAt(after), last = day + 62; day <= last; day++) {
    if (!fits(rhythm, day)) continue;
    const at = zone.toInstant(day, ms);
    if (at > after) return at;
  }
  throw new RangeError(`No day fits “${tellRhythm(rhythm)}”.`);
}

const ordinal = (n: number): string => `${n}${n % 10 === 1 && n !== 11 ? 'st' : n % 10 === 2 && n !== 12 ? 'nd' : n % 10 === 3 && n !== 13 ? 'rd' : 'th'}`; // prettier-ignore

/** "each Monday at 08:00", "on the 1st of each month at 08:00". */
export function tellRhythm({ every, on, at }: Rhythm): string {
  if (every === 'day') return `each day at ${at}`;
  if (every === 'week') return `each ${WEEKDAY_NAMES[(on ?? 1) - 1]} at ${at}`;
  return on === 31 ? `on the last day of each month at ${at}` : `on the ${ordinal(on ?? 1)} of each month at ${at}${(on ?? 1) > 28 ? ', or on its last day' : ''}`;
} // prettier-ignore
