import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { simpleParser } from 'mailparser';
import { rows } from '../db/db.ts';
import { calendarsOf } from '../messages/calendar.ts';
import { writeMail } from '../messages/mail-channel.ts';
import { changePerson } from '../people/change.ts';
import { changeReach, reachView } from '../people/reach.ts';
import { timelineOf } from '../people/timeline.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { findNoticeSheet } from './ledger.query.ts';

let house: TestHouse;
let crew: Record<string, string>;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  await house.db.query('update settings set replies_to_trainer = true');
});
afterAll(() => house.close());

const invitation = STANDARD_PLAN.find(({ id }) => id === 'invitation')!;
const step = (id: string, rest: Partial<PlanStep> = {}): PlanStep => ({ ...invitation, id, name: `Step ${id}`, ...rest });
const assign = (course: string, ...who: string[]) => assignAt(house, course, who.map((name) => crew[name]!), '2027-03-19T16:00:00Z'); // prettier-ignore
const send = async (iso: string) => {
  house.clock.at = Date.parse(iso);
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return house.mailer.letters;
};
const choose = (dailyAt: string | null) => changePerson(house.deps, crew['runa']!, { dailyAt }, 'Runa Aske');

describe('one mail a day', () => {
  it('has all of a day in it, each under its own subject with its own link and date, and each in the ledger', async () => {
    await choose('07:30');
    const dated = { message: { ...invitation.message, withDate: true } };
    const fire = await makeCourse(house, crew['tora']!, [step('a', dated)], 'Fire Teams Aboard');
    const lifts = await makeCourse(
      house,
      crew['kari']!,
      [step('b', dated), step('c', { kind: 'late', message: { ...invitation.message, subject: 'Hurry up' } })],
      'Safe Lifting',
    );
    const [one] = await assign(fire, 'runa', 'per');
    const [two] = await assign(lifts, 'runa');
    expect((await send('2027-03-01T09:45:00Z')).map(({ toAddress }) => toAddress.split('@')[0])).toEqual(['per']);
    expect(await send('2027-03-02T06:29:00Z')).toEqual([]);
    const [letter, ...more] = await send('2027-03-02T06:30:00Z');
    expect(more).toEqual([]);
    // an invitation comes before what is late
    expect(letter!.subject).toMatch(/^Fire Teams Aboard: yours to finish by .* \(and 2 more\)$/);
    for (const assignment of [one!, two!]) expect(letter!.text).toContain(`/go/${await linkInto(house, assignment)}`);
    expect(letter!.text.match(/^=+$/gm)).toHaveLength(3);
    expect(letter!.html.match(/<h2/g)).toHaveLength(3);
    expect(letter!.html.match(/<body/g)).toHaveLength(1);
    expect(calendarsOf(letter!.calendar!)).toHaveLength(2);
    const mail = await simpleParser(await writeMail(letter!));
    expect(mail.attachments.map(({ contentType, filename }) => [contentType, filename])).toEqual([
      ['text/calendar', 'due-date-1.ics'],
      ['text/calendar', 'due-date-2.ics'],
    ]);
    // of two trainers neither is promised to read the reply
    expect(letter!.text).not.toMatch(/reads it/);
    const told = await rows<{ id: string; state: string; message_id: string }>(
      house.db,
      'select id, state, message_id from notices where person_id = $1::bigint',
      [crew['runa']],
    );
    expect(told.map(({ state }) => state)).toEqual(['sent', 'sent', 'sent']);
    expect(new Set(told.map(({ message_id }) => message_id)).size).toBe(1);
    expect((await findNoticeSheet(house.deps, told[0]!.id)).gatheredWith.map(({ name }) => name).sort()).toEqual(['Step b', 'Step c']);
  });

  it('is a mail like any other where there is only one thing to say, and no mail where there is none', async () => {
    await choose('07:30');
    const fire = await makeCourse(house, crew['tora']!, [step('a')], 'Fire Teams Aboard');
    await assign(fire, 'runa');
    expect(await send('2027-03-01T09:45:00Z')).toEqual([]);
    const [letter] = await send('2027-03-02T06:30:00Z');
    expect(letter!.subject).not.toContain('more');
    expect(letter!.text).toContain('Tora Aske reads it');
    expect(await send('2027-03-03T06:30:00Z')).toEqual([]);
  });

  it('goes again as it was after a moment of refusal, and not a day later', async () => {
    await choose('07:30');
    const fire = await makeCourse(house, crew['tora']!, [step('a'), step('b')], 'Fire Teams Aboard');
    await assign(fire, 'runa');
    await send('2027-03-01T09:45:00Z');
    house.mailer.answer = () => ({ outcome: 'later', response: '451 try again', scope: 'letter' });
    await send('2027-03-02T06:30:00Z');
    house.mailer.answer = () => ({ outcome: 'accepted', response: '250 ok' });
    expect(await send('2027-03-02T07:05:00Z')).toHaveLength(1);
  });

  it('is chosen and left on the record, and moves what is planned', async () => {
    const fire = await makeCourse(
      house,
      crew['tora']!,
      [step('a', { offset: { amount: 2, unit: 'days' }, at: '11:00' })],
      'Fire Teams Aboard',
    );
    await assign(fire, 'runa');
    await send('2027-03-01T09:45:00Z');
    const planned = async () =>
      (await rows<{ at: Date; gathered: boolean }>(house.db, 'select at, gathered from notices')).map(({ at, gathered }) => [
        at.toISOString(),
        gathered,
      ]);
    expect(await planned()).toEqual([['2027-03-03T10:00:00.000Z', false]]);
    await choose('06:00');
    await send('2027-03-01T09:46:00Z');
    expect(await planned()).toEqual([['2027-03-04T05:00:00.000Z', true]]);
    await choose(null);
    await send('2027-03-01T09:47:00Z');
    expect(await planned()).toEqual([['2027-03-03T10:00:00.000Z', false]]);
    expect(
      (await timelineOf(house.db, crew['runa']!, house.clock.now())).filter(({ what }) => what === 'change').map(({ words }) => words),
    ).toEqual(['Changed one mail a day, at from none to 06:00', 'Changed one mail a day, at from 06:00 to none']);
  });
});

it('a manager who chose a week hears of all their people in one mail, on that day; the choice is on the record', async () => {
  await changeReach(house.deps, crew['odd']!, { digest: { at: '08:00', on: 4 } }, 'Odd Aske');
  expect(await reachView(house.deps, crew['odd']!)).toMatchObject({ leads: true, digest: { at: '08:00', on: 4 } });
  expect((await timelineOf(house.db, crew['odd']!, house.clock.at)).at(-1)!.words).toBe('Changed all of their people at once, from none to on Thu at 08:00'); // prettier-ignore
  const late = step('late-one', { kind: 'manager', to: ['manager'], anchor: { event: 'due' }, offset: { amount: 1, unit: 'days' }, at: '09:00', message: { subject: '{full name} is late with {course}', body: 'Late.', button: null } }); // prettier-ignore
  const fire = await makeCourse(house, crew['tora']!, [late], 'Fire Teams Aboard');
  const lifts = await makeCourse(house, crew['tora']!, [late], 'Safe Lifting');
  await assign(fire, 'runa', 'per');
  await assign(lifts, 'runa');
  expect(await send('2027-03-22T12:00:00Z')).toEqual([]);
  const letters = await send('2027-03-25T07:05:00Z');
  expect(letters.map(({ toAddress }) => toAddress.split('@')[0])).toEqual(['odd']);
  for (const words of ['Runa Aske is late with Fire Teams Aboard', 'Per Aske is late with Fire Teams Aboard', 'Runa Aske is late with Safe Lifting']) expect(letters[0]!.text).toContain(words); // prettier-ignore
});
