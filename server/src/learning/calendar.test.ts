import ICAL from 'ical.js';
import { speechOf } from '@nudrik/core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { close, extend } from '../assignments/change.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { writeCalendar } from '../messages/calendar.ts';
import { calendarAddress, calendarOf, setCalendar } from './calendar.ts';

let house: TestHouse;
let crew: Record<string, string>;
let assignment: string;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  const course = await makeCourse(house, crew['tora']!, undefined, 'Fire, teams; and \\ more');
  [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
});
afterAll(() => house.close());

const linkOf = (address: string | null): string => address!.split('/').at(-1)!;
async function dates(link: string): Promise<object[]> {
  const text = await calendarOf(house.deps, link);
  for (const line of text.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75);
  const calendar = new ICAL.Component(ICAL.parse(text) as unknown as string);
  return calendar.getAllSubcomponents('vevent').map((component) => {
    const event = new ICAL.Event(component);
    return { uid: event.uid, summary: event.summary, at: event.startDate.toJSDate().toISOString(), sequence: event.sequence, status: component.getFirstPropertyValue('status') }; // prettier-ignore
  });
}

it('is there once somebody asks for it, moves with what is moved, and says what was taken away', async () => {
  expect(await calendarAddress(house.deps, crew['runa']!)).toBeNull();
  const { address } = await setCalendar(house.deps, crew['runa']!, true);
  expect(address).toMatch(/^http:\/\/nudrik\.example\/api\/calendars\/[\w-]{40,}\.ics$/);
  const uid = `assignment-${assignment}@training.orlasund.example`;
  expect(await dates(linkOf(address))).toEqual([{ uid, summary: 'Due: Fire, teams; and \\ more', at: '2027-03-19T16:00:00.000Z', sequence: 1, status: 'CONFIRMED' }]); // prettier-ignore
  await extend(house.deps, { assignmentIds: [assignment], dueOn: '2027-03-24', dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune');
  expect(await dates(linkOf(address))).toMatchObject([{ uid, at: '2027-03-24T16:00:00.000Z', sequence: 2 }]);
  await close(house.deps, 'withdrawn', { assignmentIds: [assignment], reason: 'moved ashore', until: null }, 'Sigrid Aune');
  expect(await dates(linkOf(address))).toMatchObject([{ uid, sequence: 3, status: 'CANCELLED' }]);
});

it('ends when another is made, when it is ended, and with leaving; and opens nothing else', async () => {
  const first = linkOf((await setCalendar(house.deps, crew['per']!, true)).address);
  const second = linkOf((await setCalendar(house.deps, crew['per']!, true)).address);
  await expect(calendarOf(house.deps, first)).rejects.toMatchObject({ code: 'wrong-link' });
  expect(await dates(second)).toEqual([]);
  await expect(calendarOf(house.deps, `${second.slice(0, -5)}${second.at(-5) === 'x' ? 'y' : 'x'}.ics`)).rejects.toMatchObject({
    code: 'wrong-link',
  });
  await house.db.query("update people set left_on = '2027-02-27' where id = $1::bigint", [crew['per']]);
  await expect(calendarOf(house.deps, second)).rejects.toMatchObject({ code: 'wrong-link' });
  await house.db.query('update people set left_on = null where id = $1::bigint', [crew['per']]);
  await setCalendar(house.deps, crew['per']!, false);
  await expect(calendarOf(house.deps, second)).rejects.toMatchObject({ code: 'wrong-link' });
});

it('holds names of any letters, folded and escaped, that no line of another kind comes of', () => {
  const course = `Brann\u00f8velse 🚢 ${'æ'.repeat(80)}\r\nATTENDEE:mailto:x@elsewhere.example\nEND:VEVENT`;
  const text = writeCalendar([{ assignment: '1', course, dueAt: new Date(0), sequence: 0 }], { name: 'x', listId: 'l.example', url: 'http://x.example', now: new Date(0), speech: speechOf('en') }); // prettier-ignore
  const [event] = new ICAL.Component(ICAL.parse(text) as unknown as string).getAllSubcomponents('vevent');
  expect(event!.getFirstPropertyValue('summary')).toBe(`Due: ${course.replace(/\s+/g, ' ')}`);
  expect(event!.getAllProperties('attendee')).toEqual([]);
});
