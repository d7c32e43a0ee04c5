import { afterAll, beforeEach, describe, expect, it, test } from 'vitest';
import { STANDARD_PLAN, type SenderRule } from '@nudrik/core';
import { createTransport } from 'nodemailer';
import { conversationList, conversationView } from '../conversations/conversations.ts';
import { rows } from '../db/db.ts';
import { findLearning } from '../learning/learn.ts';
import { publishPlan } from '../plans/publish.ts';
import { sendersOf, setSender } from '../plans/sender.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { takeMail } from './arrive.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
});
afterAll(() => house.close());

const rule = (rest: Partial<SenderRule>): SenderRule => ({ isTrainer: false, name: null, replyTo: null, ...rest });
const set = (sender: SenderRule | null, was: SenderRule | null = null) => setSender(house.deps, course, { sender, was }, 'Sigrid Aune');
const steps = (sender: SenderRule | null) => STANDARD_PLAN.map((step) => (step.id === 'invitation' ? { ...step, sender } : step));
const send = async () => {
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return house.mailer.letters.map(({ fromName, fromAddress, replyTo, text }) => ({ fromName, fromAddress, replyTo, end: text.trim().split('\n').at(-1) }));
}; // prettier-ignore
const invite = async (who = 'runa') => assignAt(house, course, [crew[who]!], '2027-03-19T16:00:00Z');

describe('who a message comes from', () => {
  it('is the house, then the course, then the step; the address stays the house’s', async () => {
    await invite();
    expect((await send())[0]).toMatchObject({ fromName: 'Safety training', fromAddress: 'training@orlasund.example' });
    await set(rule({ name: 'Fire drill', replyTo: 'fire@orlasund.example' }));
    await invite('per');
    expect((await send())[0]).toMatchObject({ fromName: 'Fire drill', fromAddress: 'training@orlasund.example', replyTo: 'fire@orlasund.example', end: 'Fire drill, Orlasund Ferries. Stuck? Just reply.' });
    await publishPlan(house.deps, course, { version: 1, steps: steps(rule({ isTrainer: true })) } as never, 'Sigrid Aune');
    await invite('kari');
    expect((await send())[0]).toMatchObject({ fromName: 'Tora Aske', replyTo: 'tora@orlasund.example' });
    await set(null, rule({ name: 'Fire drill', replyTo: 'fire@orlasund.example' }));
    await invite('odd');
    expect((await send())[0]).toMatchObject({ fromName: 'Tora Aske', replyTo: 'tora@orlasund.example', end: 'Tora Aske, Orlasund Ferries. Stuck? Just reply, Tora Aske reads it.' });
    const words = await rows<{ words: string }>(house.db, "select words from house_changes where words like 'Messages of%' order by id");
    expect(words.map((row) => row.words)).toEqual([
      'Messages of Fire Teams Aboard: come from Fire drill, replies to fire@orlasund.example, before as above.',
      'Messages of Fire Teams Aboard: come from as above, before Fire drill, replies to fire@orlasund.example.',
    ]);
  }); // prettier-ignore

  it('is not set over what somebody else set, nor to the address where replies come in', async () => {
    await set(rule({ name: 'Fire drill' }));
    await expect(set(rule({ name: 'Ropes' }))).rejects.toThrow(/Somebody set meanwhile .* come from: Fire drill/);
    // the same again is no news
    await set(rule({ name: 'Fire drill' }), null);
    await house.db.query("update settings set inbound_address = 'replies@orlasund.example'");
    await expect(set(rule({ replyTo: 'Replies@orlasund.example' }), rule({ name: 'Fire drill' }))).rejects.toThrow(/come in at/);
    // what says nothing is as above
    expect(await set(rule({}), rule({ name: 'Fire drill' }))).toEqual({ sender: null });
  });

  it('decides who is told of a reply, and who may answer by mail', async () => {
    await house.db.query("update settings set inbound_address = 'replies@orlasund.example'");
    await set(rule({ replyTo: 'Fire@orlasund.example' }));
    await invite();
    await drain(house.deps, house.mailer);
    const comes = async (from: string, to: string, text: string) => {
      const { message } = await createTransport({ streamTransport: true, buffer: true }).sendMail({ from, to, subject: 'Re: it', text, messageId: `<${Math.random()}@x.example>` }); // prettier-ignore
      await takeMail(house.deps, { raw: message as Buffer, from, to: [to] });
      house.mailer.letters = [];
      await drain(house.deps, house.mailer);
      return house.mailer.letters;
    };
    const [told] = await comes('runa@orlasund.example', house.mailer.letters[0]!.replyTo, 'Until Friday?');
    expect(told).toMatchObject({ toAddress: 'Fire@orlasund.example' });
    const [answer] = await comes('fire@orlasund.example', told!.replyTo, 'Yes.');
    expect(answer).toMatchObject({ toAddress: 'runa@orlasund.example' });
    const { rows: list } = await conversationList(house.deps, { show: 'all' });
    expect((await conversationView(house.deps, list[0]!.id)).posts.map(({ side, words }) => `${side}: ${words}`)).toEqual(['person: Until Friday?', 'house: Yes.']); // prettier-ignore
  });
});

// the page of the course promises by name who reads a reply: it says what the letter says
test.each<[string, SenderRule | null, boolean, string | null, string | null]>([
  ['the house', null, false, null, null],
  ['the trainers of the house', null, true, null, 'Tora Aske'],
  ['the trainer of the course', rule({ isTrainer: true }), false, null, 'Tora Aske'],
  ['an address of the course', rule({ replyTo: 'fire@orlasund.example' }), true, null, null],
  ['an address that is the trainer’s', rule({ replyTo: 'tora@orlasund.example' }), false, null, 'Tora Aske'],
  ['a trainer whose mail comes back', rule({ isTrainer: true }), true, "update people set address_state = 'bounced' where name = 'Tora Aske'", null],
  ['a trainer who has left', rule({ isTrainer: true }), true, "update people set left_on = '2027-02-01' where name = 'Tora Aske'", null],
])('letter, page and conversation promise the same reader: %s', async (_, sender, toTrainer, change, reader) => {
  await house.db.query("update settings set replies_to_trainer = $1, inbound_address = 'replies@orlasund.example'", [toTrainer]);
  if (change) await house.db.query(change);
  await set(sender);
  const [assignment] = await invite();
  const [letter] = await send();
  expect(/Just reply, (.*) reads it/.exec(letter!.end!)?.[1] ?? null).toBe(reader);
  expect((await sendersOf(house.deps, course)).now).toEqual({ name: letter!.fromName, replies: reader ?? sender?.replyTo ?? 'tora.hauge@orlasund.example' });
  const view = await findLearning(house.deps, await linkInto(house, assignment!));
  expect(view.trainer).toBe(reader);
  const { message } = await createTransport({ streamTransport: true, buffer: true }).sendMail({ from: 'runa@orlasund.example', to: letter!.replyTo, subject: 'Re: it', text: 'Hm', messageId: '<hm@x.example>' });
  await takeMail(house.deps, { raw: message as Buffer, from: 'runa@orlasund.example', to: [letter!.replyTo] });
  const told = await send();
  expect(told.length).toBe(1);
  expect(house.mailer.letters[0]!.toAddress).toBe(reader ? 'tora@orlasund.example' : (sender?.replyTo ?? 'tora.hauge@orlasund.example'));
}); // prettier-ignore
