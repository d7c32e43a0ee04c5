import { createServer } from 'node:http';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep, type Way } from '@nudrik/core';
import { openChatService, type ChatService } from '@nudrik/standins';
import request from 'supertest';
import { createApp } from '../app.ts';
import { conversationList, conversationView, answer } from '../conversations/conversations.ts';
import { rows } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import type { Channel } from '../messages/channel.ts';
import { findNoticeSheet } from '../notices/ledger.query.ts';
import { changePerson } from '../people/change.ts';
import { publishPlan } from '../plans/publish.ts';
import { todayNeeds } from '../reports/needs.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { inChat, openChat, withChat } from './chat.ts';
import { noteChat } from './chat.repo.ts';
import { signCall } from './webhook.ts';

const SECRET = 'a secret that both sides know';
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let service: ChatService;
let channel: Channel;
beforeEach(async () => {
  await house?.close();
  await service?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  service = await openChatService({ port: 0, secret: SECRET, backUrl: null });
  channel = withChat(house.mailer, openChat({ url: service.url, secret: SECRET }));
  await noteChat(house.db, true);
  await house.db.query("update people set chat_name = split_part(email, '@', 1) || '.aske' where name in ('Runa Aske', 'Odd Aske')");
});
afterAll(async () => {
  await house.close();
  await service.close();
});

const assign = (...who: string[]) => assignAt(house, course, who.map((name) => crew[name]!), '2027-03-19T16:00:00Z'); // prettier-ignore
const reach = (who: string, by: Way | null) => changePerson(house.deps, crew[who]!, { by }, 'Sigrid Aune');
const mailed = () => house.mailer.letters.map(({ toAddress }) => toAddress.split('@')[0]);
const chatted = () => service.words.map(({ thread, text }) => ({ thread, text }));
const threads = () => service.words.map(({ thread }) => thread);
const notices = () => rows<{ id: string; state: string; chat_failed: boolean; attempts: number; sentence: string }>(house.db, "select id, state, chat_failed, attempts, sentence from notices where step_id = 'invitation' order by id"); // prettier-ignore
const deliveries = () => rows<{ channel: string; address: string; outcome: string | null }>(house.db, 'select channel, address, outcome from deliveries order by id'); // prettier-ignore
const at = (iso: string) => (house.clock.at = Date.parse(iso));

describe('the way of a message', () => {
  it('is mail where nobody says otherwise', async () => {
    await assign('runa');
    await drain(house.deps, channel);
    expect(mailed()).toEqual(['runa']);
    expect(service.words).toEqual([]);
  });

  it('is the chat in place of mail as its reader has it, with their own signed link, and mail for who has no name there', async () => {
    await house.db.query("update settings set reached_by = 'chat'");
    const [assignment] = await assign('runa', 'per');
    await drain(house.deps, channel);
    expect(mailed()).toEqual(['per']);
    const [{ thread, text }] = chatted() as [{ thread: string; text: string }];
    expect(thread).toBe('@runa.aske');
    expect(text).toContain(`/go/${await linkInto(house, assignment!)}`);
    expect(await deliveries()).toEqual(
      expect.arrayContaining([
        { channel: 'chat', address: 'runa.aske', outcome: 'accepted' },
        { channel: 'mail', address: 'per@orlasund.example', outcome: 'accepted' },
      ]),
    );
    const [notice] = await notices();
    expect(notice).toMatchObject({ state: 'sent', chat_failed: false });
    const { timeline } = await findNoticeSheet(house.deps, notice!.id);
    expect(timeline.find(({ what }) => what === 'sent')!.words).toContain('in the chat to runa.aske');
  });

  it('is that of the step before that of its reader, and that of its reader before that of the house', async () => {
    await house.db.query("update settings set reached_by = 'chat'");
    await reach('odd', 'mail');
    const steps = (by: Way) => STANDARD_PLAN.map((step): PlanStep => (step.id === 'invitation' ? { ...step, by } : step));
    await assign('odd');
    await drain(house.deps, channel);
    expect([mailed(), threads()]).toEqual([['odd'], []]);
    await publishPlan(house.deps, course, { version: 1, steps: steps('mail') } as never, 'Sigrid Aune');
    await assign('runa');
    await drain(house.deps, channel);
    expect([mailed(), threads()]).toEqual([['odd', 'runa'], []]);
  });

  it('is both, told once in the chat however often mail is tried', async () => {
    await reach('runa', 'both');
    house.mailer.answer = () => ({ outcome: 'later', response: '451 try again', scope: 'letter' });
    await assign('runa');
    await drain(house.deps, channel);
    expect(threads()).toEqual(['@runa.aske']);
    house.mailer.answer = () => ({ outcome: 'accepted', response: '250 ok' });
    at('2027-03-01T10:45:00Z');
    await drain(house.deps, channel);
    expect(mailed()).toEqual(['runa']);
    expect(threads()).toEqual(['@runa.aske']);
    const [notice] = await notices();
    const { timeline } = await findNoticeSheet(house.deps, notice!.id);
    expect(timeline.find(({ what }) => what === 'in the chat')!.words).toMatch(/^to runa\.aske, beside mail: /);
    // what is kept has no signature in it
    const kept = await rows<{ body: string }>(house.db, 'select body from chat_posts');
    expect(kept[0]!.body).not.toMatch(/\/go\/[\w-]{40,}/);
    expect(service.words[0]!.text).toMatch(/\/go\/[\w-]{40,}/);
  });

  it('is the chat where mail comes back, and mail is not asked for', async () => {
    await house.db.query("update people set address_state = 'bounced', address_words = 'gone' where name = 'Runa Aske'");
    await assign('runa', 'per');
    await drain(house.deps, channel);
    expect([mailed(), threads()]).toEqual([['per'], ['@runa.aske']]);
  });

  it('is mail for what a chat cannot hold: the date for a calendar goes by both', async () => {
    await reach('runa', 'chat');
    const steps = STANDARD_PLAN.map((step) =>
      step.id === 'invitation' ? { ...step, message: { ...step.message, withDate: true } } : step,
    );
    await publishPlan(house.deps, course, { version: 1, steps } as never, 'Sigrid Aune');
    await assign('runa');
    await drain(house.deps, channel);
    expect([mailed(), threads()]).toEqual([['runa'], ['@runa.aske']]);
  });
});

describe('a chat that does not take it', () => {
  it('lets it go by mail at once, says so on Today and on the notice, and is left alone until its pause is over', async () => {
    await house.db.query("update settings set reached_by = 'chat'");
    service.isUp = false;
    await assign('runa', 'odd');
    await drain(house.deps, channel);
    expect(mailed().sort()).toEqual(['odd', 'runa']);
    expect((await notices()).map(({ state }) => state)).toEqual(['sent', 'sent']);
    const need = (await todayNeeds(house.deps)).find(({ label }) => label === 'Chat stands still');
    expect(need!.words).toContain('503 The chat is being maintained.');
    const { timeline } = await findNoticeSheet(house.deps, (await notices())[0]!.id);
    expect(timeline.find(({ what }) => what.startsWith('attempt'))!.words).toContain('in the chat to');
    // nobody asks it meanwhile
    await assign('kari');
    await drain(house.deps, channel);
    expect((await deliveries()).filter(({ channel: way }) => way === 'chat').length).toBe(2);
    service.isUp = true;
    at('2027-03-01T10:00:00Z');
    const other = await makeCourse(house, crew['tora']!, STANDARD_PLAN, 'Another One');
    await assignAt(house, other, [crew['runa']!], '2027-03-19T16:00:00Z');
    await drain(house.deps, channel);
    expect(threads()).toEqual(['@runa.aske']);
    expect((await todayNeeds(house.deps)).some(({ label }) => label === 'Chat stands still')).toBe(false);
  });

  it('does not know a name: mail, the name on Today, and not asked again until another is entered', async () => {
    await house.db.query("update settings set reached_by = 'chat'");
    service.unknown.add('runa.aske');
    await assign('runa');
    await drain(house.deps, channel);
    expect([mailed(), threads()]).toEqual([['runa'], []]);
    const need = (await todayNeeds(house.deps)).find(({ label }) => label === 'Chat name');
    expect(need!.words).toContain('The chat does not know runa.aske, which stands with Runa Aske');
    await changePerson(house.deps, crew['runa']!, { chatName: 'runa' }, 'Sigrid Aune');
    expect((await todayNeeds(house.deps)).some(({ label }) => label === 'Chat name')).toBe(false);
    at('2027-03-01T10:00:00Z');
    const other = await makeCourse(house, crew['tora']!, STANDARD_PLAN, 'Another One');
    await assignAt(house, other, [crew['runa']!], '2027-03-19T16:00:00Z');
    await drain(house.deps, channel);
    expect(threads()).toEqual(['@runa']);
  });

  it('holds what has no way left, until one is mended', async () => {
    await house.db.query("update people set address_state = 'bounced', address_words = 'gone' where name = 'Runa Aske'");
    service.unknown.add('runa.aske');
    await assign('runa');
    await drain(house.deps, channel);
    expect(await notices()).toMatchObject([{ state: 'held' }]);
    expect((await notices())[0]!.sentence).toContain('mail to runa@orlasund.example came back, and the chat does not know runa.aske');
    service.unknown.clear();
    await changePerson(house.deps, crew['runa']!, { chatName: 'runa.aske' }, 'Sigrid Aune');
    await drain(house.deps, channel);
    expect(threads()).toEqual(['@runa.aske']);
  });

  it('is tried again, ever more seldom, where there is no other way', async () => {
    await house.db.query("update people set address_state = 'bounced', address_words = 'gone' where name = 'Runa Aske'");
    service.isUp = false;
    await assign('runa');
    await drain(house.deps, channel);
    const tries = async () => (await deliveries()).length;
    const first = await tries();
    expect(first).toBeLessThan(4);
    await drain(house.deps, channel);
    expect(await tries()).toBe(first);
    at('2027-03-01T12:00:00Z');
    service.isUp = true;
    await drain(house.deps, channel);
    expect(threads()).toEqual(['@runa.aske']);
    expect(await notices()).toMatchObject([{ state: 'sent' }]);
  });

  it('that says nothing is waited for once, and not by each of those who wait behind', async () => {
    await house.db.query("update settings set reached_by = 'chat'");
    await house.db.query("update people set chat_name = split_part(email, '@', 1) where chat_name is null");
    const asked: string[] = [];
    const silent = withChat(house.mailer, {
      async post(id) {
        asked.push(id);
        await new Promise((resolve) => setTimeout(resolve, 50));
        return { outcome: 'down', words: 'the chat gave no answer within 10 seconds', isSilent: true };
      },
    });
    const letter = { channel: 'chat', hasOtherWay: true, text: '', date: new Date(0) } as never;
    expect(await silent.send(letter)).toMatchObject({ outcome: 'later', scope: 'way', chat: 'down' });
    expect(await silent.send(letter)).toMatchObject({ response: 'the chat gave no answer within 10 seconds', scope: 'way', chat: 'down' });
    expect(asked).toHaveLength(1);
    // who has no other way asks
    await silent.send({ ...(letter as object), hasOtherWay: false } as never);
    expect(asked).toHaveLength(2);
  });

  it('is told apart by what it answers', async () => {
    const answers: [number, string, string][] = [
      [200, '{"words":"shown"}', 'accepted'],
      [204, '', 'accepted'],
      [404, '{"reason":"unknown-name"}', 'unknown-name'],
      [404, '<html>no such hook', 'down'],
      [401, '{"words":"wrong signature"}', 'down'],
      [413, '', 'refused'],
      [500, 'null', 'down'],
      [302, '', 'down'],
    ];
    for (const [status, body, outcome] of answers) {
      const server = createServer((_req, res) =>
        res.writeHead(status, { location: 'http://127.0.0.1:1/' }).end(status === 204 ? undefined : body),
      );
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      const url = `http://127.0.0.1:${(server.address() as { port: number }).port}/`;
      const said = await openChat({ url, secret: SECRET }).post('message-1', {
        to: { person: 'x' },
        from: 'a',
        subject: 's',
        text: 't',
        sentAt: new Date(0).toISOString(),
      });
      expect([status, said.outcome]).toEqual([status, outcome]);
      server.closeAllConnections();
      await new Promise((closed) => server.close(closed));
    }
    const gone = await openChat({ url: 'http://127.0.0.1:1/', secret: SECRET }).post('message-1', {} as never);
    expect(gone).toMatchObject({ outcome: 'down' });
    const other = await openChat({ url: service.url, secret: 'another secret of somebody' }).post('message-1', {} as never);
    expect(other).toMatchObject({ outcome: 'down', words: expect.stringContaining('401') as string });
  });
});

describe('what goes into the chat', () => {
  it('is cut where it is too long for it, and leads to the rest', () => {
    const text = `${'A line of it.\n'.repeat(400)}Open it:\nhttps://nudrik.example/go/abc`;
    const shown = inChat(text, 'A long one');
    expect(shown.length).toBeLessThan(4_300);
    expect(shown).toMatch(/A line of it\. …\n\nThe rest of “A long one” is too long for the chat\.\n\nhttps:\/\/nudrik\.example\/go\/abc$/);
    expect(inChat('Short.\n\n-- \nSafety training.\n', 'x')).toBe('Short.\n\nSafety training.');
  });

  it('tells of completions in the channel of the course, each once, and of none that was taken back', async () => {
    await house.db.query("update courses set told_in = '#drills' where id = $1::bigint", [course]);
    const [runa, per, kari] = await assign('runa', 'per', 'kari');
    const finish = async (assignment: string) => {
      const link = await linkInto(house, assignment);
      for (const { units } of (await findLearning(house.deps, link)).sections)
        for (const { id } of units) await markUnitDone(house.deps, link, id);
    };
    await finish(runa!);
    await drain(house.deps, channel);
    expect(threads()).toEqual([]);
    await finish(kari!);
    await finish(per!);
    // taken back before it was told
    await house.db.query(
      "insert into assignment_events (assignment_id, type, at, undoes) select assignment_id, 'reopened', at, id from assignment_events where assignment_id = $1::bigint and type = 'finished'",
      [per],
    );
    at('2027-03-01T10:00:00Z');
    await drain(house.deps, channel);
    await drain(house.deps, channel);
    expect(chatted()).toEqual([
      {
        thread: '#drills',
        text: expect.stringMatching(/^Runa Aske and Kari Aske finished “Fire Teams Aboard”: \d of 3 so far\.$/) as string,
      },
    ]);
  });
});

describe('a reply in the chat', () => {
  const post = (body: object, secret = SECRET, id = 'back-1') => {
    const text = JSON.stringify(body);
    return request(createApp(house.deps, null)).post('/api/chat/replies').set('content-type', 'application/json').set(signCall(secret, id, text, new Date())).send(text); // prettier-ignore
  };
  beforeEach(async () => {
    house.deps.settings.chat = { url: service.url, secret: SECRET } as never;
    await reach('runa', 'chat');
    await assign('runa');
    await drain(house.deps, channel);
  });
  const said = (rest: object = {}) => ({ from: 'Runa.Aske', answers: service.words[0]!.id, text: 'The link is dead?', sentAt: '2027-03-01T10:00:00Z', ...rest }); // prettier-ignore

  it('begins the conversation about its message, once, reaches who takes care of it, and is answered in the chat and by mail', async () => {
    await post(said()).expect(200);
    await post(said()).expect(200);
    const { rows: list } = await conversationList(house.deps, { show: 'all', size: 20 } as never);
    expect(list).toHaveLength(1);
    const view = await conversationView(house.deps, list[0]!.id);
    expect(view.posts).toMatchObject([{ side: 'person', words: 'The link is dead?', byChat: true }]);
    house.mailer.letters = [];
    await drain(house.deps, channel);
    expect(house.mailer.letters.map(({ subject }) => subject)).toEqual([expect.stringContaining('Runa Aske: ')]);
    await answer(
      house.deps,
      list[0]!.id,
      { words: 'It works again.', files: [], isDone: false, seen: view.posts.at(-1)!.id } as never,
      { name: 'Tora Aske', personId: crew['tora'] } as never,
    );
    await drain(house.deps, channel);
    expect(service.words.at(-1)).toMatchObject({ thread: '@runa.aske', text: 'It works again.' });
    expect(mailed().at(-1)).toBe('runa');
  });

  it('is taken of nobody who does not sign, nor of somebody else than who was written to', async () => {
    await post(said(), 'another secret of somebody').expect(403);
    await post(said({ from: 'odd.aske' })).expect(404);
    await post(said({ answers: 'message-999' })).expect(404);
    await post(said({ answers: 'message-1; drop' })).expect(400);
    await post(said({ text: '' })).expect(400);
    await request(createApp(house.deps, null)).post('/api/chat/replies').send({}).expect(403);
    expect((await conversationList(house.deps, { show: 'all', size: 20 } as never)).rows).toEqual([]);
  });
});
