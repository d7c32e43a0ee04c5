import ICAL from 'ical.js';
import type { HolidaysRead } from '@nudrik/contract';
import { addDays, dayOf, isKept } from '@nudrik/core';
import { Refused } from '../refusal.ts';

/** Days that one event may take: longer ones are no holidays. */
const LONGEST = 31;
/** Occurrences of repeating events that are looked at, all together, and events. */
const MOST_OCCURRENCES = 300_000;
const MOST_EVENTS = 20_000;

const dateOf = (time: ICAL.Time): string =>
  `${String(time.year).padStart(4, '0')}-${String(time.month).padStart(2, '0')}-${String(time.day).padStart(2, '0')}`;

/**
 * The whole-day events of an iCalendar file (RFC 5545) as holidays, repeating ones for each year asked for. An event of
 * several days is several holidays; the end is exclusive (3.6.1).
 * @param years first and last, inclusive
 * @throws Refused where it is not an iCalendar file
 */
export function readHolidays(bytes: Buffer, fileName: string, years: { from: number; to: number }): HolidaysRead {
  let calendar: ICAL.Component;
  try {
    calendar = new ICAL.Component(ICAL.parse(new TextDecoder('utf-8').decode(bytes)) as unknown as unknown[]);
  } catch (error) {
    throw new Refused(
      'wrong-file',
      `${fileName}: this cannot be read as an iCalendar file: ${(error as Error).message}. ` +
        'Expected a file that begins with BEGIN:VCALENDAR. Nothing was changed.',
    );
  }
  if (calendar.name !== 'vcalendar')
    throw new Refused(
      'wrong-file',
      `${fileName}: this is ${calendar.name || 'not an iCalendar file'}; expected VCALENDAR. Nothing was changed.`,
    );
  const events = calendar.getAllSubcomponents('vevent');
  if (events.length > MOST_EVENTS)
    throw new Refused('wrong-file', `${fileName}: it has ${events.length} events; expected at most ${MOST_EVENTS}. Nothing was changed.`);
  const found = new Map<string, string>();
  const passedOver: string[] = [];
  let budget = MOST_OCCURRENCES;
  for (const component of events) {
    const name =
      String(component.getFirstPropertyValue('summary') ?? 'Holiday')
        .trim()
        .slice(0, 120) || 'Holiday';
    try {
      budget -= readEvent(component, name, years, found, passedOver, budget);
    } catch {
      passedOver.push(`${name}: its date or its rule cannot be read`);
    }
  }
  return {
    holidays: [...found].map(([on, name]) => ({ on, name })).sort((a, b) => (a.on < b.on ? -1 : 1)),
    passedOver: passedOver.slice(0, 200),
  };
}

/** Puts the days of one event to the others. @returns how many occurrences were looked at */
function readEvent(
  component: ICAL.Component,
  name: string,
  years: { from: number; to: number },
  found: Map<string, string>,
  passedOver: string[],
  budget: number,
): number {
  // without the other events as possible exceptions to this one: looking for them is what made many events slow
  const event = new ICAL.Event(component, { exceptions: [] });
  const say = (why: string): number => (passedOver.push(`${name}${why}`), 0);
  if (!event.startDate) return say(': it has no date');
  const first = dateOf(event.startDate);
  if (!isKept(first)) return say(`, ${first}: expected a year from 1970 to 2199`);
  if (!event.startDate.isDate) return say(`, ${first}: it has a time of day, so it is no whole day off`);
  if (component.getFirstPropertyValue('status') === 'CANCELLED') return say(`, ${first}: cancelled`);
  const length = event.endDate ? Math.max(1, dayOf(dateOf(event.endDate)) - dayOf(first)) : 1;
  if (!(length <= LONGEST)) return say(`, ${first}: it takes ${length} days`);
  const rule = component.getFirstPropertyValue('rrule') as ICAL.Recur | null;
  if (rule && !isTame(rule)) return say(`, ${first}: a rule like ${String(rule).slice(0, 80)} is not read here`);
  let looked = 0;
  for (const start of occurrences(event, years.to)) {
    looked += 1;
    if (looked > budget) return say(`, ${first}: it repeats too often; the rest of it is left out`) + looked;
    if (start < `${years.from - 1}`) continue;
    for (let day = 0; day < length; day++) {
      const on = addDays(start, day);
      const year = Number(on.slice(0, 4));
      if (year >= years.from && year <= years.to && !found.has(on)) found.set(on, name);
    }
  }
  return looked;
}

/** Rules that holidays have, and that always come to their next occurrence: others may search for ever. */
function isTame(rule: ICAL.Recur): boolean {
  const parts = rule.parts as Record<string, (string | number)[] | undefined>;
  const known = ['BYDAY', 'BYMONTH', 'BYMONTHDAY'];
  if (Object.keys(parts).some((part) => !known.includes(part))) return false;
  if (!['YEARLY', 'MONTHLY', 'WEEKLY', 'DAILY'].includes(rule.freq)) return false;
  const days = (parts['BYMONTHDAY'] ?? []).map(Number);
  const months = (parts['BYMONTH'] ?? []).map(Number);
  const longest = Math.max(
    ...(months.length > 0 ? months : [1]).map((month) => [0, 31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month] ?? 0),
  );
  if (days.length > 0 && !days.some((day) => day !== 0 && Math.abs(day) <= Math.min(longest, rule.freq === 'YEARLY' ? 31 : 28)))
    return false;
  // the fifth Monday is not in every month, and the sixth in none
  return (parts['BYDAY'] ?? []).every((day) => Math.abs(parseInt(String(day), 10) || 1) <= 4) && !(days.length > 0 && parts['BYDAY']);
}

function* occurrences(event: ICAL.Event, lastYear: number): Generator<string> {
  if (!event.isRecurring()) return yield dateOf(event.startDate);
  const iterator = event.iterator();
  for (;;) {
    const next = iterator.next() as ICAL.Time | undefined;
    if (!next || next.year > lastYear) return;
    yield dateOf(next);
  }
}
