import ICAL from 'ical.js';
import type { HolidaysRead } from '@nudrik/contract';
import { addDays, dayOf } from '@nudrik/core';
import { Refused } from '../refusal.ts';

/** Days that one event may take: longer ones are no holidays. */
const LONGEST = 31;
/** Occurrences of a repeating event that are looked at. */
const MOST_OCCURRENCES = 200;

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
  const found = new Map<string, string>();
  const passedOver: string[] = [];
  for (const component of calendar.getAllSubcomponents('vevent')) {
    const event = new ICAL.Event(component);
    const name = (event.summary || 'Holiday').trim().slice(0, 120);
    if (!event.startDate) passedOver.push(`${name}: it has no date`);
    else if (!event.startDate.isDate)
      passedOver.push(`${name}, ${dateOf(event.startDate)}: it has a time of day, so it is no whole day off`);
    else if (component.getFirstPropertyValue('status') === 'CANCELLED') passedOver.push(`${name}, ${dateOf(event.startDate)}: cancelled`);
    else {
      const length = event.endDate ? Math.max(1, dayOf(dateOf(event.endDate)) - dayOf(dateOf(event.startDate))) : 1;
      if (length > LONGEST) passedOver.push(`${name}, ${dateOf(event.startDate)}: it takes ${length} days`);
      else
        for (const start of occurrences(event, years.to))
          for (let day = 0; day < length; day++) {
            const on = addDays(start, day);
            const year = Number(on.slice(0, 4));
            if (year >= years.from && year <= years.to && !found.has(on)) found.set(on, name);
          }
    }
  }
  return { holidays: [...found].map(([on, name]) => ({ on, name })).sort((a, b) => (a.on < b.on ? -1 : 1)), passedOver };
}

function* occurrences(event: ICAL.Event, lastYear: number): Generator<string> {
  if (!event.isRecurring()) return yield dateOf(event.startDate);
  const iterator = event.iterator();
  for (let count = 0; count < MOST_OCCURRENCES; count++) {
    const next = iterator.next() as ICAL.Time | undefined;
    if (!next || next.year > lastYear) return;
    yield dateOf(next);
  }
}
