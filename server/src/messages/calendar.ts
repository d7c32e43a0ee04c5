import ICAL from 'ical.js';
import { oneLine, type Speech } from '@nudrik/core';

/** A date as a calendar holds it (RFC 5545). */
export interface DueEvent {
  assignment: string;
  course: string;
  dueAt: Date;
  /** grows with whatever happens to the assignment: what a calendar has of before is replaced by what has a higher one */
  sequence: number;
  isCancelled?: boolean;
}

/** A session that somebody has a seat in; without times where it is taken out again and nobody knows when it was. */
export interface SessionEvent {
  assignment: string;
  unit: string;
  title: string;
  course: string;
  startsAt: Date;
  endsAt: Date;
  place: string | null;
  sequence: number;
  isCancelled: boolean;
}

/** Whose calendar it is, and where a date leads. */
export interface CalendarFacts {
  listId: string;
  url: string;
  now: Date;
  /** the words of its reader's language */
  speech: Pick<Speech, 'dueEntry'>;
}

const utc = (at: Date): ICAL.Time => ICAL.Time.fromJSDate(at, true);

/** The same date has the same name wherever it is written. */
export const uidOf = (listId: string, assignment: string): string => `assignment-${assignment}@${listId}`;

function newCalendar(method: string): ICAL.Component {
  const calendar = new ICAL.Component('vcalendar');
  calendar.addPropertyWithValue('prodid', '-//Nudrik//Due dates//EN');
  calendar.addPropertyWithValue('version', '2.0');
  calendar.addPropertyWithValue('calscale', 'GREGORIAN');
  calendar.addPropertyWithValue('method', method);
  return calendar;
}

/** A moment that takes no time of anybody's day. */
function eventOf(
  { assignment, course, dueAt, sequence, isCancelled = false }: DueEvent,
  { listId, url, now, speech }: CalendarFacts,
): ICAL.Component {
  const event = new ICAL.Component('vevent');
  event.addPropertyWithValue('uid', uidOf(listId, assignment));
  event.addPropertyWithValue('sequence', sequence);
  event.addPropertyWithValue('dtstamp', utc(now));
  event.addPropertyWithValue('dtstart', utc(dueAt));
  event.addPropertyWithValue('dtend', utc(dueAt));
  event.addPropertyWithValue('summary', speech.dueEntry(oneLine(course, 200)));
  event.addPropertyWithValue('url', url);
  event.addPropertyWithValue('transp', 'TRANSPARENT');
  event.addPropertyWithValue('status', isCancelled ? 'CANCELLED' : 'CONFIRMED');
  return event;
}

/** Dates to subscribe to, as an iCalendar object (RFC 5545). */
export function writeCalendar(events: readonly (DueEvent | SessionEvent)[], facts: CalendarFacts & { name: string }): string {
  const calendar = newCalendar('PUBLISH');
  calendar.addPropertyWithValue('name', facts.name);
  calendar.addPropertyWithValue('x-wr-calname', facts.name);
  const refresh = calendar.addPropertyWithValue('refresh-interval', ICAL.Duration.fromSeconds(4 * 3_600));
  refresh.setParameter('value', 'DURATION');
  for (const event of events) calendar.addSubcomponent(entryOf(event, facts));
  return `${calendar.toString()}\r\n`;
}

/** Time of somebody's day, at a place. One who is moved to another session keeps one entry. */
function sessionOf({ assignment, unit, title, course, startsAt, endsAt, place, sequence, isCancelled }: SessionEvent, { listId, url, now }: CalendarFacts): ICAL.Component {
  const event = new ICAL.Component('vevent');
  event.addPropertyWithValue('uid', `session-${unit}-${assignment}@${listId}`);
  event.addPropertyWithValue('sequence', sequence);
  event.addPropertyWithValue('dtstamp', utc(now));
  event.addPropertyWithValue('dtstart', utc(startsAt));
  event.addPropertyWithValue('dtend', utc(endsAt));
  event.addPropertyWithValue('summary', oneLine(`${title}: ${course}`, 200));
  if (place) event.addPropertyWithValue('location', oneLine(place, 200));
  event.addPropertyWithValue('url', url);
  event.addPropertyWithValue('transp', 'OPAQUE');
  event.addPropertyWithValue('status', isCancelled ? 'CANCELLED' : 'CONFIRMED');
  return event;
} // prettier-ignore

const entryOf = (event: DueEvent | SessionEvent, facts: CalendarFacts): ICAL.Component =>
  'dueAt' in event ? eventOf(event, facts) : sessionOf(event, facts);

const person = (component: ICAL.Component, role: string, name: string, address: string): ICAL.Property => {
  const property = component.addPropertyWithValue(role, `mailto:${address}`);
  // a name stands in quotes, and may hold none
  property.setParameter('cn', oneLine(name, 100).replace(/"/g, "'"));
  return property;
};

/** One date for the calendar of whoever a letter is to (RFC 5546): asked for, moved by a higher sequence, or taken out again. */
export function writeInvitation(
  event: DueEvent | SessionEvent,
  facts: CalendarFacts & { from: { name: string; address: string }; to: { name: string; address: string } },
): string {
  const calendar = newCalendar(event.isCancelled ? 'CANCEL' : 'REQUEST');
  const component = entryOf(event, facts);
  person(component, 'organizer', facts.from.name, facts.from.address);
  const reader = person(component, 'attendee', facts.to.name, facts.to.address);
  for (const [name, value] of Object.entries({ role: 'REQ-PARTICIPANT', partstat: 'NEEDS-ACTION', rsvp: 'FALSE' }))
    reader.setParameter(name, value);
  calendar.addSubcomponent(component);
  return `${calendar.toString()}\r\n`;
}

/** What a calendar is to do with it, as the mail that brings it says too. */
export const methodOf = (calendar: string): 'REQUEST' | 'CANCEL' => (/^METHOD:CANCEL\r?$/m.test(calendar) ? 'CANCEL' : 'REQUEST');

/** Each object of a stream of several (RFC 5545, 3.4): dates of one message that tells of several. */
export const calendarsOf = (stream: string): string[] => stream.match(/BEGIN:VCALENDAR[\s\S]*?END:VCALENDAR\r?\n?/g) ?? [];

/**
 * What a mail brings of dates, as the mail library takes it: one as an invitation beside the text (RFC 6047), several as files.
 */
export function calendarParts(stream: string | null | undefined): { icalEvent?: object; attachments: object[] } {
  const list = stream ? calendarsOf(stream) : [];
  if (list.length === 1) return { icalEvent: { method: methodOf(list[0]!), filename: 'due-date.ics', content: list[0]! }, attachments: [] };
  return {
    attachments: list.map((content, i) => ({
      filename: `due-date-${i + 1}.ics`,
      contentType: `text/calendar; charset=utf-8; method=${methodOf(content)}`,
      content,
    })),
  };
}

/** Whether two say the same, whenever they were written. */
export const sameDate = (one: string | null, other: string | null): boolean => undated(one) === undated(other);

const undated = (calendar: string | null): string | null => calendar && calendar.replace(/^DTSTAMP:.*$/gm, '');
