import { randomUUID } from 'node:crypto';
import { simpleParser } from 'mailparser';
import { createTransport } from 'nodemailer';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import type { ShownTo } from '@nudrik/core';
import type { Account, AskedView } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { findLearning } from '../learning/learn.ts';
import { takeMail } from '../messages/arrive.ts';
import type { Letter } from '../messages/channel.ts';
import { todayNeeds } from '../reports/needs.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { ask, askedView, writeOn } from './asked.ts';
import { writeConversation } from './conversation.export.ts';
import { answer, conversationList, conversationView, giveTo, showTo, takeOff } from './conversations.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
/** personal links, by who has the course */
let links: Record<string, string>;
let assignments: Record<string, string>;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  await house.db.query("update settings set inbound_address = 'replies@orlasund.example', replies_to_trainer = true");
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  const list = await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
  assignments = { runa: list[0]!, per: list[1]! };
  links = { runa: await linkInto(house, list[0]!), per: await linkInto(house, list[1]!) };
  await allow('trainer');
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  await drain(house.deps, house.mailer);
  house.mailer.letters = [];
});
afterAll(() => house.close());

const allow = (asks: 'none' | 'trainer' | 'course') => house.db.query('update courses set asks = $1::text', [asks]);
const by = (who: string, account: Account | null = null) => ({ link: links[who]!, account });
const asks = (who: string, words: string, to: ShownTo = 'person', key = randomUUID()): Promise<AskedView> =>
  ask(house.deps, by(who), { words, to, unit: null, key });
const says = (who: string, id: string, words: string, to: ShownTo, key = randomUUID()): Promise<AskedView> =>
  writeOn(house.deps, by(who), id, { words, to, key });
const sees = async (who: string) => {
  const { mine, others } = await askedView(house.deps, { link: links[who]! });
  const told = (list: AskedView['mine']) => list.map(({ by: name, words }) => `${name}: ${words.map((one) => `${one.isMine ? 'I' : one.by} “${one.words}”`).join(', ')}`); // prettier-ignore
  return { mine: told(mine), others: told(others) };
};
const sent = async (): Promise<Letter[]> => {
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return house.mailer.letters;
};
const toWhom = (letters: readonly Letter[]): string[] => letters.map(({ toAddress, subject }) => `${toAddress}: ${subject}`).sort();
const only = async () => {
  const { rows: found } = await conversationList(house.deps, { show: 'all' });
  expect(found).toHaveLength(1);
  return conversationView(house.deps, found[0]!.id);
};
const last = (posts: readonly { id: string }[]): string => posts.at(-1)!.id;
/** A mail that answers one of ours, as a mail program writes it. */
async function replies(letter: Letter, from: string, text: string, refers = true): Promise<void> {
  const composer = createTransport({ streamTransport: true, buffer: true });
  const head = refers ? { inReplyTo: letter.headerId } : {};
  const { message } = await composer.sendMail({ from, to: letter.replyTo, subject: `Re: ${letter.subject}`, text, ...head, messageId: `<${randomUUID()}@elsewhere.example>` }); // prettier-ignore
  await takeMail(house.deps, { raw: message as Buffer, from, to: [letter.replyTo] });
}

describe('a question on the page of a course', () => {
  it('begins a conversation with whoever reads the replies, is told to them by mail, and its answer stands there and goes by mail', async () => {
    const view = await asks('runa', 'Where is the muster station of the Tarn Ness?');
    expect(view).toMatchObject({ asks: 'trainer', reader: 'Tora Aske', hasMail: true, closed: null, others: [] });
    const talk = await only();
    expect(talk).toMatchObject({ shownTo: 'person', stepName: null, course: { id: course }, assignmentId: assignments['runa'], reader: { name: 'Tora Aske' }, waitsSince: '2027-03-01T09:45:00.000Z', mayBeShown: false }); // prettier-ignore
    expect(talk.posts[0]).toMatchObject({ author: 'Runa Aske, by personal link', shownTo: 'person', byMail: false });
    const [told] = await sent();
    expect(told).toMatchObject({ toAddress: 'tora@orlasund.example', subject: 'Runa Aske: Where is the muster station of the Tarn Ness?' });
    expect(told!.text).toContain('Runa Aske asked this on the page of Fire Teams Aboard. Answer by replying to this mail, or in Nudrik');
    expect((await todayNeeds(house.deps)).find(({ label }) => label === 'Reply waits')?.words).toContain(
      'Runa Aske asked on the page of Fire Teams Aboard',
    );

    await answer(house.deps, talk.id, { words: 'On deck 5, aft.', seen: last(talk.posts), isDone: false }, 'Tora Aske');
    expect(await sees('runa')).toEqual({
      mine: ['Runa Aske: I “Where is the muster station of the Tarn Ness?”, Tora Aske “On deck 5, aft.”'],
      others: [],
    });
    const [answered] = await sent();
    expect(answered).toMatchObject({ toAddress: 'runa@orlasund.example', subject: 'Re: Where is the muster station of the Tarn Ness?' });
    expect(answered!.text).toContain('It stands on the page of the course too.');
    // what is replied by mail is not shown behind the link, which others may have; nor is what answers it
    await replies(answered!, 'runa@orlasund.example', 'Thank you. I was ill that day.');
    await answer(house.deps, talk.id, { words: 'Get well.', seen: last((await only()).posts), isDone: true }, 'Tora Aske');
    expect((await sees('runa')).mine[0]).not.toMatch(/ill that day|Get well/);
    expect((await sees('per')).others).toEqual([]);
  });

  it('is at the unit that is open, by its name then, and never at one of another course', async () => {
    const [unit] = await rows<{ id: string; title: string }>(house.db, 'select id, title from units order by id limit 1');
    const other = await makeCourse(house, crew['tora']!, [], 'Lifeboats');
    const [strange] = await rows<{ id: string }>(house.db, 'select u.id from units u join sections s on s.id = u.section_id where s.course_id = $1::bigint limit 1', [other]); // prettier-ignore
    await ask(house.deps, by('runa'), { words: 'First?', to: 'person', unit: unit!.id, key: randomUUID() });
    await ask(house.deps, by('per'), { words: 'Second?', to: 'person', unit: strange!.id, key: randomUUID() });
    expect((await askedView(house.deps, by('runa'))).mine[0]!.atUnit).toBe(unit!.title);
    expect((await askedView(house.deps, by('per'))).mine[0]!.atUnit).toBeNull();
    expect((await sent()).find(({ subject }) => subject.includes('First'))!.text).toContain(`at “${unit!.title}”`);
  });

  it('stands as it was written, also where it looks like what a mail repeats', async () => {
    const words = 'On Mon 1 Mar 2027 Tora Aske wrote:\n> come at eight\nIs that so?';
    await asks('runa', words);
    expect((await askedView(house.deps, by('runa'))).mine[0]!.words[0]!.words).toBe(words);
    expect((await only()).posts[0]).toMatchObject({ words, whole: null });
    expect((await sent())[0]!.text).toContain(words);
  });

  it('names the one who reads it as the rest of the page does, also where the house’s address is theirs, and not once they have left', async () => {
    const told = async (): Promise<(string | null)[]> => [
      (await askedView(house.deps, by('runa'))).reader,
      (await findLearning(house.deps, links['runa']!)).trainer,
    ];
    expect(await told()).toEqual(['Tora Aske', 'Tora Aske']);
    await house.db.query('update settings set replies_to_trainer = false');
    expect(await told()).toEqual(['Safety training', null]);
    await house.db.query("update settings set reply_to = 'TORA@orlasund.example'");
    expect(await told()).toEqual(['Tora Aske', 'Tora Aske']);
    await house.db.query("update settings set reply_to = 'training@orlasund.example', replies_to_trainer = true");
    await house.db.query("update people set left_on = '2027-03-20' where id = $1::bigint", [crew['tora']]);
    expect(await told()).toEqual(['Tora Aske', 'Tora Aske']);
    await house.db.query("update people set left_on = '2027-02-20' where id = $1::bigint", [crew['tora']]);
    expect(await told()).toEqual(['Safety training', null]);
  });

  it('that comes twice, also at once, stands there once', async () => {
    const key = randomUUID();
    await Promise.all([asks('runa', 'Twice?', 'person', key), asks('runa', 'Twice?', 'person', key)]);
    await asks('runa', 'Twice?', 'person', key);
    const talk = await only();
    const again = randomUUID();
    await Promise.all([says('runa', talk.id, 'And?', 'person', again), says('runa', talk.id, 'And?', 'person', again)]);
    expect((await sees('runa')).mine).toEqual(['Runa Aske: I “Twice?”, I “And?”']);
    expect(await sent()).toHaveLength(2);
  });

  it('is asked of nobody where the course does not allow it, the course is not asked of one, or one has left', async () => {
    await allow('none');
    await expect(asks('runa', 'May I?')).rejects.toThrow('takes no questions on its page');
    await allow('trainer');
    await expect(asks('runa', 'May all?', 'course')).rejects.toThrow('not read by everybody');
    await house.db.query("update assignments set closed_by = 'withdrawn', closed_at = assigned_at where id = $1::bigint", [assignments['runa']]); // prettier-ignore
    await expect(asks('runa', 'May I now?')).rejects.toThrow('no longer asked of you');
    await house.db.query("update people set left_on = '2027-02-01' where id = $1::bigint", [crew['per']]);
    await expect(asks('per', 'And I?')).rejects.toMatchObject({ code: 'wrong-link' });
    await expect(ask(house.deps, { link: `${links['per']!.slice(0, -4)}AAAA`, account: null }, { words: 'x', to: 'person', unit: null, key: randomUUID() })).rejects.toMatchObject({ code: 'wrong-link' }); // prettier-ignore
    expect((await conversationList(house.deps, { show: 'all' })).rows).toEqual([]);
    expect(await sent()).toEqual([]);
  });

  it('is not asked in the name of another by somebody who is signed in; by oneself it is on the record as that', async () => {
    const account = { id: '1', name: 'Tora Aske', role: 'trainer', personId: crew['tora']! } as Account;
    const draft = { words: 'As Runa?', to: 'person' as const, unit: null, key: randomUUID() };
    await expect(ask(house.deps, by('runa', account), draft)).rejects.toThrow(
      'You are signed in as Tora Aske, and this page is Runa Aske’s',
    );
    await expect(ask(house.deps, by('runa', { ...account, personId: null }), draft)).rejects.toMatchObject({ code: 'not-allowed' });
    await ask(house.deps, by('runa', { ...account, name: 'Runa Aske', role: 'employee', personId: crew['runa']! }), draft);
    expect((await only()).posts[0]!.author).toBe('Runa Aske');
  });

  it('has an end: what is told by mail, and what is taken of one person within an hour', async () => {
    for (let i = 0; i < 20; i++) await asks('runa', `Question ${i}?`);
    await expect(asks('runa', 'One more?')).rejects.toMatchObject({ code: 'too-many-tries' });
    expect(await sent()).toHaveLength(10);
    await asks('per', 'Mine?');
    expect(toWhom(await sent())).toEqual(['tora@orlasund.example: Per Aske: Mine?']);
    house.clock.at += 3_600_001;
    await asks('runa', 'One more?');
    expect(await sent()).toHaveLength(1);
  });

  it('keeps no personal link, and goes to whoever has the course once its owner has left', async () => {
    await asks('runa', `It says http://nudrik.example/go/${links['runa']!} is wrong`);
    const talk = await only();
    expect(talk.posts[0]!.words).toBe('It says (personal link) is wrong');
    expect(talk.subject).not.toContain(links['runa']!.slice(-20));
    await sent();
    await house.db.query("update people set left_on = '2027-02-01' where id = $1::bigint", [crew['tora']]);
    expect((await askedView(house.deps, by('runa'))).reader).toBe('Safety training');
    await says('runa', talk.id, 'Still wrong.', 'person');
    expect((await only()).reader).toBeNull();
    expect(toWhom(await sent())[0]).toMatch(/^tora.hauge@orlasund.example: Runa Aske: Re: /);
  });

  it('of somebody whose mail comes back is answered on the page, and says so', async () => {
    await house.db.query("update people set address_state = 'bounced' where id = $1::bigint", [crew['runa']]);
    await allow('course');
    expect((await asks('runa', 'Where?', 'course')).hasMail).toBe(false);
    const { id } = await only();
    await sent();
    await says('per', id, 'Aft.', 'course');
    expect((await sent()).map(({ toAddress }) => toAddress)).toEqual(['tora@orlasund.example']);
    expect((await sees('runa')).mine).toEqual(['Runa Aske: I “Where?”, Per Aske “Aft.”']);
  });
});

describe('a question that everybody on the course reads', () => {
  beforeEach(() => allow('course'));

  it('is read and answered by others on it; whoever asked and whoever takes care are told, and the answer goes to all who wrote', async () => {
    await asks('runa', 'Does the old jacket do?', 'course');
    await sent();
    const talk = await only();
    expect((await sees('per')).others).toEqual(['Runa Aske: Runa Aske “Does the old jacket do?”']);
    await says('per', talk.id, 'Mine did last year.', 'course');
    const letters = await sent();
    expect(toWhom(letters)).toEqual([
      'runa@orlasund.example: Re: Does the old jacket do?',
      'tora@orlasund.example: Per Aske: Re: Does the old jacket do?',
    ]);
    const toTora = letters.find(({ toAddress }) => toAddress.startsWith('tora'))!;
    expect(toTora.text).toContain('Per Aske wrote this to what Runa Aske asked on the page of Fire Teams Aboard. Everybody on the course reads it there, and so they do what you answer.'); // prettier-ignore
    expect(letters.find(({ toAddress }) => toAddress.startsWith('runa'))!.text).toContain('What you reply to this mail is read by Tora Aske alone.'); // prettier-ignore
    expect(await only()).toMatchObject({ waitsSince: '2027-03-01T09:45:00.000Z', posts: [{}, { author: 'Per Aske, by personal link', shownTo: 'course', mail: { state: 'sent' } }] }); // prettier-ignore
    // a mail in answer to what everybody reads is read by everybody
    await replies(toTora, 'tora@orlasund.example', 'It does not. Fetch a new one.');
    expect((await sees('per')).others).toEqual([
      'Runa Aske: Runa Aske “Does the old jacket do?”, I “Mine did last year.”, Tora Aske “It does not. Fetch a new one.”',
    ]);
    const answers = await sent();
    expect(toWhom(answers)).toEqual([
      'per@orlasund.example: Re: Does the old jacket do?',
      'runa@orlasund.example: Re: Does the old jacket do?',
    ]);
    expect(answers.find(({ toAddress }) => toAddress.startsWith('per'))!.replyTo).toBe('tora.hauge@orlasund.example');
    // told once: of the next answer only who asked hears
    await answer(house.deps, talk.id, { words: 'At the store.', seen: last((await only()).posts), isDone: false }, 'Tora Aske');
    expect(toWhom(await sent())).toEqual(['runa@orlasund.example: Re: Does the old jacket do?']);
  });

  it('shows nobody else what came by mail, nor what answers that, nor an answer of which nobody knows what it answers', async () => {
    await asks('runa', 'Does the old jacket do?', 'course');
    const [toTora] = await sent();
    const talk = await only();
    await answer(house.deps, talk.id, { words: 'No.', seen: last(talk.posts), isDone: false }, 'Tora Aske');
    const [toRuna] = await sent();
    await replies(toRuna!, 'runa@orlasund.example', 'I cannot pay for one.');
    const [told] = await sent();
    await replies(told!, 'tora@orlasund.example', 'We lend you one.');
    await says('per', talk.id, 'Same here.', 'course');
    await replies(toTora!, 'tora@orlasund.example', 'To whom was this?', false);
    await answer(house.deps, talk.id, { words: 'To Runa alone.', seen: last((await only()).posts), isDone: false, shownTo: 'person' }, 'Tora Aske'); // prettier-ignore
    expect((await sees('per')).others).toEqual(['Runa Aske: Runa Aske “Does the old jacket do?”, Tora Aske “No.”, I “Same here.”']);
    expect((await sees('runa')).mine[0]).not.toContain('We lend you one.');
    expect((await sees('runa')).mine[0]).toContain('To Runa alone.');
  });

  it('is taken back by whoever takes care, as a whole or word by word, and stands on the record', async () => {
    await asks('runa', 'Does the old jacket do?', 'course');
    const talk = await only();
    await says('per', talk.id, 'What a stupid question.', 'course');
    await takeOff(house.deps, talk.id, last((await only()).posts), true, 'Tora Aske');
    expect((await sees('runa')).mine).toEqual(['Runa Aske: I “Does the old jacket do?”']);
    expect((await askedView(house.deps, by('per'))).others[0]!.words).toMatchObject([{}, { isMine: true, isOff: true }]);
    await takeOff(house.deps, talk.id, (await only()).posts[1]!.id, false, 'Tora Aske');
    expect((await sees('runa')).mine[0]).toContain('stupid');
    await showTo(house.deps, talk.id, 'person', 'Tora Aske');
    expect((await sees('per')).others).toEqual([]);
    await expect(says('per', talk.id, 'Sorry.', 'course')).rejects.toMatchObject({ code: 'not-found' });
    // written while it is read by one alone, it stays so
    await expect(says('runa', talk.id, 'Only you?', 'course')).rejects.toMatchObject({ code: 'stale' });
    await says('runa', talk.id, 'Only you?', 'person');
    await showTo(house.deps, talk.id, 'course', 'Tora Aske');
    await expect(says('runa', talk.id, 'And now?', 'person')).rejects.toMatchObject({ code: 'stale' });
    expect((await sees('per')).others[0]).not.toContain('Only you?');
    expect((await only()).posts.filter(({ side }) => side === 'record').map(({ words }) => words)).toEqual([
      'Tora Aske took a word of Per Aske, by personal link off the page.',
      'Tora Aske put a word of Per Aske, by personal link on the page again.',
      'Only Runa Aske reads it on the page from now on, says Tora Aske.',
      'Everybody on the course reads it again, says Tora Aske.',
    ]);
  });

  it('is never shown to others where it was asked of one alone, nor where the course allows it no more', async () => {
    await asks('runa', 'Between us?');
    const { id, posts } = await only();
    expect((await sees('per')).others).toEqual([]);
    await expect(says('per', id, 'I heard.', 'course')).rejects.toMatchObject({ code: 'not-found' });
    await expect(showTo(house.deps, id, 'course', 'Tora Aske')).rejects.toThrow('asked it of whoever takes care alone');
    await expect(answer(house.deps, id, { words: 'To all?', seen: last(posts), isDone: false, shownTo: 'course' }, 'Tora Aske')).rejects.toMatchObject({ code: 'conflict' }); // prettier-ignore
    await asks('per', 'To all?', 'course');
    expect((await sees('runa')).others).toHaveLength(1);
    await allow('trainer');
    expect((await sees('runa')).others).toEqual([]);
    await allow('none');
    expect((await sees('per')).mine).toHaveLength(1);
    await allow('course');
    // of another course nobody reads it
    const other = await makeCourse(house, crew['tora']!, [], 'Lifeboats');
    await allow('course');
    const [elsewhere] = await assignAt(house, other, [crew['odd']!], '2027-03-19T16:00:00Z');
    links['odd'] = await linkInto(house, elsewhere!);
    expect(await sees('odd')).toEqual({ mine: [], others: [] });
    const shared = (await askedView(house.deps, by('per'))).mine[0]!.id;
    await expect(says('odd', shared, 'Me too.', 'course')).rejects.toMatchObject({ code: 'not-found' });
  });

  it('comes page by page, and is exported with who wrote what', async () => {
    for (let i = 0; i < 10; i++) {
      house.clock.at += 1_800_000;
      for (let k = 0; k < 3; k++) await asks('per', `Question ${3 * i + k}?`, 'course');
    }
    const first = await askedView(house.deps, by('runa'));
    const second = await askedView(house.deps, by('runa'), first.others.at(-1)!.id);
    expect([first.others.length, first.hasMore, second.others.length, second.hasMore, second.mine]).toEqual([20, true, 10, false, []]);
    expect(new Set([...first.others, ...second.others].map(({ id }) => id)).size).toBe(30);
    const { id } = first.others[0]!;
    await says('runa', id, 'I know.', 'course');
    const mbox = (await writeConversation(house.db, await getHouse(house.db), await conversationView(house.deps, id))).toString();
    const [, asked, said] = mbox.split(/^From /m);
    expect((await simpleParser(asked!.slice(asked!.indexOf('\n') + 1))).from?.text).toBe('"Per Aske" <per@orlasund.example>');
    expect((await simpleParser(said!.slice(said!.indexOf('\n') + 1))).from?.text).toContain('<runa@orlasund.example>');
    await giveTo(house.deps, id, null, 'Sigrid Aune');
  });
});
