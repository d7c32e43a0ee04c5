import type { Calendar } from './calendar.ts';
import { tellAmount, tellDay, tellTime } from './words.ts';
import { DAY_MS, HOUR, type Instant, type Zone } from './zone.ts';

/**
 * Words that are told from a moment: they are true where and when they are read, since they are made of the moment and of nothing else.
 * Days are local days of the reader.
 */

/** `in 2 days`, `in 5 hours`, `3 days ago`: whole local days apart, hours within a day. */
export function tellDistance(from: Instant, to: Instant, zone: Zone): string {
  const days = zone.dayAt(to) - zone.dayAt(from);
  if (Math.abs(to - from) < DAY_MS && Math.abs(days) < 2) {
    const hours = Math.round(Math.abs(to - from) / HOUR);
    if (hours === 0) return 'now';
    return to > from ? `in ${tellAmount(hours, 'hours')}` : `${tellAmount(hours, 'hours')} ago`;
  }
  return days > 0 ? `in ${tellAmount(days, 'days')}` : `${tellAmount(days, 'days')} ago`;
}

const NEAR: Readonly<Record<number, string>> = { [-1]: 'yesterday', 0: 'today', 1: 'tomorrow' };

/** `today at 17:00`, `tomorrow at 17:00`, `yesterday at 17:00`, or `on Fri 8 May at 17:00`. */
export function tellNear(from: Instant, to: Instant, zone: Zone): string {
  const today = zone.dayAt(from);
  const day = zone.dayAt(to);
  return `${NEAR[day - today] ?? `on ${tellDay(day, today)}`} at ${tellTime(to, zone)}`;
}

/** How far a reader looks for a working day: longer than any holiday. */
const FAR = 400;

/** The working days after the day of the one moment, up to that of the other, whichever comes first; null where they are years apart: that is told in days. */
export function workingDaysBetween(from: Instant, to: Instant, calendar: Calendar): number | null {
  const days = [calendar.zone.dayAt(from), calendar.zone.dayAt(to)];
  const [first, last] = [Math.min(...days), Math.max(...days)];
  // a distance of years needs no counting one by one
  if (last - first > FAR) return null;
  let count = 0;
  for (let one = first + 1; one <= last; one++) if (calendar.isWorkingDay(one)) count += 1;
  return count;
}

/** `in 3 working days`, `2 working days ago`: the working days after the one day, up to the other; `today` where both are one. */
export function tellWorkingDistance(from: Instant, to: Instant, calendar: Calendar): string {
  const { zone } = calendar;
  if (zone.dayAt(from) === zone.dayAt(to)) return 'today';
  const isAhead = to > from;
  const count = workingDaysBetween(from, to, calendar);
  if (count === null) return tellDistance(from, to, zone);
  if (count === 0) return isAhead ? 'before the next working day' : 'since the last working day';
  return isAhead ? `in ${tellAmount(count, 'working days')}` : `${tellAmount(count, 'working days')} ago`;
}
