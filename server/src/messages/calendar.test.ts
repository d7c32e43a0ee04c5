import ICAL from 'ical.js';
import { simpleParser } from 'mailparser';
import { createTransport } from 'nodemailer';
import { afterAll, beforeEach, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { undoAct } from '../assignments/acts.ts';
import { close, extend } from '../assignments/change.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { mailOf } from './mail-channel.ts';

let house: TestHouse;
let crew: Record<string, string>;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
});
afterAll(() => house.close());

const step = (event: PlanStep['anchor']['event'], rest: Partial<PlanStep> = {}): PlanStep => ({
  ...STANDARD_PLAN[0]!, id: event, name: event, kind: 'follow-up' as PlanStep['kind'], anchor: { event }, offset: { amount: 0, unit: 'hours' }, at: null, window: null, repeat: null, onlyIf: null, stopWhen: null,
  message: { subject: `{course}: ${event}`, body: 'Hello.', button: null, withDate: true }, ...rest,
}); // prettier-ignore

/** What the mails of a moment bring for calendars, read by other programs. */
async function brought(): Promise<object[]> {
  house.mailer.letters = [];
  house.clock.at += 45 * 60_000;
  await drain(house.deps, house.mailer);
  const { message: writer } = { message: createTransport({ streamTransport: true, buffer: true }) };
  return Promise.all(
    house.mailer.letters.map(async (letter) => {
      const mail = await simpleParser((await writer.sendMail(mailOf(letter))).message as Buffer);
      const parts = mail.attachments.filter(({ contentType }) => contentType === 'text/calendar');
      if (parts.length === 0) return { to: letter.toAddress.split('@')[0], none: true };
      const calendar = new ICAL.Component(ICAL.parse(parts[0]!.content.toString()) as unknown as string);
      const component = calendar.getFirstSubcomponent('vevent')!;
      const event = new ICAL.Event(component);
      return { to: letter.toAddress.split('@')[0], method: calendar.getFirstPropertyValue('method'), uid: event.uid, at: event.startDate.toJSDate().toISOString(), sequence: event.sequence, status: component.getFirstPropertyValue('status'), attendee: event.attendees[0]!.getFirstValue() }; // prettier-ignore
    }),
  );
}

it('comes with the message, moves with the date by a higher sequence, and is taken out again', async () => {
  const course = await makeCourse(house, crew['tora']!, [step('assigned'), step('extended'), step('withdrawn')]);
  const [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
  const date = { to: 'runa', uid: `assignment-${assignment}@training.orlasund.example`, attendee: 'mailto:runa@orlasund.example' };
  expect(await brought()).toEqual([{ ...date, method: 'REQUEST', at: '2027-03-19T16:00:00.000Z', sequence: 1, status: 'CONFIRMED' }]);
  const ids = { assignmentIds: [assignment], reason: 'dry dock' };
  await extend(house.deps, { ...ids, dueOn: '2027-03-24', dueTime: '17:00' }, 'Sigrid Aune');
  expect(await brought()).toEqual([{ ...date, method: 'REQUEST', at: '2027-03-24T16:00:00.000Z', sequence: 2, status: 'CONFIRMED' }]);
  const { actId } = await extend(house.deps, { ...ids, dueOn: '2027-03-30', dueTime: '17:00' }, 'Sigrid Aune');
  await undoAct(house.deps, actId!, 'Sigrid Aune');
  expect(await brought()).toEqual([]);
  await close(house.deps, 'withdrawn', { ...ids, until: null }, 'Sigrid Aune');
  expect(await brought()).toEqual([{ ...date, method: 'CANCEL', at: '2027-03-24T16:00:00.000Z', sequence: 5, status: 'CANCELLED' }]);
});

it('is the employee’s alone, and comes where the message says so alone', async () => {
  const to = (roles: PlanStep['to'], rest: Partial<PlanStep> = {}) => step('assigned', { to: roles, ...rest });
  const plain = { subject: 'x', body: 'Hello.', button: null };
  const course = await makeCourse(house, crew['tora']!, [
    to(['employee', 'manager']),
    to(['employee'], { id: 'b', name: 'b', message: plain, offset: { amount: 1, unit: 'hours' } }),
  ]);
  await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
  expect(await brought()).toEqual(
    expect.arrayContaining([{ to: 'odd', none: true }, expect.objectContaining({ to: 'runa', method: 'REQUEST' })]),
  );
  house.clock.at += 3_600_000;
  expect(await brought()).toEqual([{ to: 'runa', none: true }]);
});
