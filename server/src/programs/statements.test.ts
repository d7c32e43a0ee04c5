import { createHash } from 'node:crypto';
import type { Express } from 'express';
import request from 'supertest';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { Statement, TokenDraft } from '@nudrik/contract';
import { createApp } from '../app.ts';
import { undoAct } from '../assignments/acts.ts';
import { oneRow, rows } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { makeToken } from './programs.ts';
import { seeOne, setActivityCourse, settleAgain, statementsView } from './statements.ts';

let house: TestHouse;
let app: Express;
let crew: Record<string, string>;
let course: string;
let other: string;
let key: string;
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  app = createApp(house.deps, null);
  crew = await makeCrew(house);
  await house.db.query('update settings set settle_minutes = 0');
  await house.db.query("update people set personnel_number = 'OF-204' where name = 'Kari Aske'");
  course = await makeCourse(house, crew['tora']!);
  other = await makeCourse(house, crew['tora']!, undefined, 'Safe Lifting');
  await house.db.query("update courses set code = 'LIFT-1' where id = $1::bigint", [other]);
  await assignAt(house, course, ['runa', 'per', 'odd'].map((name) => crew[name]!), '2027-03-10T16:00:00Z'); // prettier-ignore
  ({ token: key } = await makeToken(house.deps, TokenDraft.parse({ name: 'Course register', scopes: ['completions', 'assignments', 'people'] }), 'Sigrid Aune')); // prettier-ignore
});
afterAll(() => house.close());

let count = 0;
const ADL = 'http://adlnet.gov/expapi/verbs';
const about = (who: object | string, activity: string, rest: object = {}): Record<string, unknown> => ({
  id: `00000000-0000-4000-8000-${String(++count).padStart(12, '0')}`,
  actor: typeof who === 'string' ? { mbox: `mailto:${who}@orlasund.example` } : who,
  verb: { id: `${ADL}/completed`, display: { en: 'completed' } },
  object: { id: activity },
  timestamp: '2027-03-01T08:00:00+01:00',
  ...rest,
});
const send = (body: unknown, token = key) =>
  request(app).post('/api/xapi/statements').set('authorization', `Bearer ${token}`).set('x-experience-api-version', '1.0.3').send(body as object); // prettier-ignore
const outcomeOf = async (id: unknown): Promise<{ outcome: string; words: string }> =>
  oneRow(house.db, 'select outcome, words from statements where id = $1::uuid', [id]);
const own = (): string => `http://nudrik.example/courses/${course}`;

describe('a statement that comes in', () => {
  it('finishes what is open, once, however often it comes; what else is said of that day is noted', async () => {
    const statement = about('runa', own());
    for (let time = 0; time < 3; time++) expect((await send(statement).expect(200)).body).toEqual([statement['id']]);
    await Promise.all([send(statement).expect(200), send(statement).expect(200)]);
    expect(await outcomeOf(statement['id'])).toEqual({ outcome: 'recorded', words: 'Runa Aske finished Fire Teams Aboard on 1 Mar 2027.' }); // prettier-ignore
    const passed = about('runa', own(), { verb: { id: `${ADL}/passed` }, timestamp: '2027-03-01T08:00:05+01:00' });
    await send(passed).expect(200);
    expect((await outcomeOf(passed['id'])).outcome).toBe('noted');
    expect(await rows(house.db, "select closed_by, completed_on from assignments where person_id = $1::bigint", [crew['runa']])).toEqual([{ closed_by: 'finished', completed_on: '2027-03-01' }]); // prettier-ignore
    expect(await oneRow(house.db, 'select kind, by_whom, reason, words from acts order by id desc limit 1')).toEqual({ kind: 'record', by_whom: 'Course register (program)', reason: 'statement of Course register', words: 'Recorded Fire Teams Aboard for Runa Aske.' }); // prettier-ignore
  });

  it('that comes twice at one moment for the first time is taken once', async () => {
    const statement = about('kari', 'https://register.example/activities/LIFT-1', { timestamp: '2026-11-20T08:00:00Z' });
    const answers = await Promise.all(Array.from({ length: 6 }, () => send(statement)));
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200, 200, 200]);
    expect(await rows(house.db, 'select 1 from statements where id = $1::uuid', [statement['id']])).toHaveLength(1);
    expect(await rows(house.db, "select 1 from assignments where person_id = $1::bigint and course_id = $2::bigint and completed_on = '2026-11-20'", [crew['kari'], other])).toHaveLength(1); // prettier-ignore
  });

  it('that says something else by the same id is refused, with all that came with it', async () => {
    const first = about('per', own(), { verb: { id: `${ADL}/failed` } });
    await send(first).expect(200);
    // the order of keys is none of what it says, nor who stored it when
    await send(Object.fromEntries(Object.entries({ ...first, stored: '2027-03-01T09:00:00Z' }).reverse())).expect(200);
    const news = about('odd', own());
    const refused = await send([news, { ...first, verb: { id: `${ADL}/passed` } }]).expect(409);
    expect(refused.body.message).toContain(`The statement ${first['id']} was taken before and said something else. Nothing was taken.`);
    expect(await rows(house.db, 'select 1 from statements where id = $1::uuid', [news['id']])).toEqual([]);
    expect((await send([news, news]).expect(400)).body.message).toContain('expected each once');
  });

  it('is matched by address, by its hash, by number; by our address of the course, its code at the end, or its title', async () => {
    const sha1 = createHash('sha1').update('mailto:odd@orlasund.example').digest('hex');
    for (const [who, activity, rest] of [
      ['PER', 'https://register.example/activities/lift-1', {}],
      [{ mbox_sha1sum: sha1 }, 'https://register.example/x', { object: { id: 'https://register.example/x', definition: { name: { nb: 'safe lifting' } } } }],
      [{ account: { homePage: 'https://register.example', name: 'of-204' } }, own(), {}],
    ] as const) {
      const statement = about(who, activity, rest);
      await send(statement).expect(200);
      expect((await outcomeOf(statement['id'])).outcome).toBe('recorded');
    }
  }); // prettier-ignore

  test.each<[string, () => Record<string, unknown>, string, RegExp]>([
    ['of somebody who is not on the roster', () => about('nobody', own()), 'no-person', /nobody@orlasund.example is nobody of the roster/],
    [
      'of an address that cannot be read',
      () => about('per', 'https://register.example/%ff%E0%A4%A'),
      'no-course',
      /Nobody said which course/,
    ],
    ['of a group', () => about({ objectType: 'Group', name: 'Deck' }, own()), 'no-person', /Deck is nobody/],
    ['of an activity that nobody knows', () => about('per', 'https://register.example/activities/77'), 'no-course', /Nobody said which course/], // prettier-ignore
    [
      'of a day that has not come',
      () => about('per', own(), { timestamp: '2027-03-05T08:00:00Z' }),
      'early',
      /5 Mar 2027 has not come yet/,
    ],
    ['of a day before it was asked for', () => about('per', own(), { timestamp: '2025-03-05T08:00:00Z' }), 'older', /is asked of Per Aske from 1 Mar 2027 on, and was finished on 5 Mar 2025/], // prettier-ignore
    ['that somebody failed', () => about('per', own(), { verb: { id: `${ADL}/failed` } }), 'noted', /did not finish/],
    ['that somebody completed without success', () => about('per', own(), { result: { success: false, score: { scaled: 0.2 } } }), 'noted', /did not finish/], // prettier-ignore
    ['with another verb', () => about('per', own(), { verb: { id: 'http://adlnet.gov/expapi/verbs/experienced' } }), 'noted', /Nothing is done by “experienced”/], // prettier-ignore
  ])('%s records nothing, and says why', async (_, make, outcome, words) => {
    const statement = make();
    await send(statement).expect(200);
    expect(await outcomeOf(statement['id'])).toEqual({ outcome, words: expect.stringMatching(words) });
    expect(await rows(house.db, "select 1 from assignments where person_id = $1::bigint and course_id = $2::bigint and closed_by is not null", [crew['per'], course])).toEqual([]); // prettier-ignore
  });

  it('what waits for a course is recorded when somebody says which it is; what is none of ours is not asked again', async () => {
    const [mine, theirs] = ['https://register.example/courses/lifting', 'https://register.example/courses/pottery'];
    const waiting = [about('runa', mine), about('kari', mine), about('runa', theirs)];
    await send(waiting).expect(200);
    const before = await statementsView(house.deps, 'to-see', undefined);
    expect(before.activities).toEqual(expect.arrayContaining([{ activity: mine, title: null, count: 2 }]));
    expect(await setActivityCourse(house.deps, mine, other, 'Sigrid Aune')).toEqual({ recorded: 2 });
    expect(await setActivityCourse(house.deps, theirs, null, 'Sigrid Aune')).toEqual({ recorded: 0 });
    expect(await outcomeOf(waiting[0]!['id'])).toMatchObject({ outcome: 'recorded' });
    expect(await outcomeOf(waiting[2]!['id'])).toMatchObject({ outcome: 'noted' });
    const { toSee, activities } = await statementsView(house.deps, 'to-see', undefined);
    expect(toSee).toBe(before.toSee - 3);
    expect(activities.map(({ activity }) => activity)).not.toContain(theirs);
  });

  it('what waits for somebody is recorded when they are on the roster; what somebody saw is left', async () => {
    const [one, seen] = [about('late', own()), about('later', own())];
    await send([one, seen]).expect(200);
    await seeOne(house.deps, seen['id'] as string, 'Sigrid Aune');
    await expect(seeOne(house.deps, seen['id'] as string, 'Sigrid Aune')).rejects.toThrow('looked at it before');
    for (const name of ['late', 'later']) await house.db.query("insert into people (name, email, department_id, site_id) select $1::text, $2::text, department_id, site_id from people limit 1", [`${name} Aske`, `${name}@orlasund.example`]); // prettier-ignore
    expect(await settleAgain(house.deps, null)).toBe(1);
    expect(await outcomeOf(one['id'])).toMatchObject({ outcome: 'recorded' });
    expect(await outcomeOf(seen['id'])).toMatchObject({ outcome: 'no-person' });
  });

  it('that takes another back shows what is on the record of it; taken back by hand it is as before', async () => {
    const done = about('odd', own());
    await send(done).expect(200);
    const voids = about('odd', own(), { verb: { id: `${ADL}/voided` }, object: { objectType: 'StatementRef', id: done['id'] } });
    await send(voids).expect(200);
    expect(await outcomeOf(voids['id'])).toMatchObject({ outcome: 'voids', words: expect.stringContaining('Undo it under Acts') });
    const { act_id } = await oneRow<{ act_id: string }>(house.db, 'select act_id from statements where id = $1::uuid', [done['id']]);
    await undoAct(house.deps, act_id, 'Sigrid Aune');
    expect(await oneRow(house.db, 'select closed_by from assignments where person_id = $1::bigint and course_id = $2::bigint', [crew['odd'], course])).toEqual({ closed_by: null }); // prettier-ignore
    await request(app).get(`/api/xapi/statements?statementId=${done['id']}`).set('authorization', `Bearer ${key}`).set('x-experience-api-version', '2.0.0').expect(404); // prettier-ignore
  });

  test.each<[string, unknown, RegExp]>([
    ['nothing', {}, /Actor: expected/],
    ['an empty list', [], /Expected at least one statement/],
    ['two ways to know somebody', about({ mbox: 'mailto:a@b.example', openid: 'https://a.example' }, 'https://x.example'), /expected exactly one of mbox.*got 2/], // prettier-ignore
    ['an activity that is no IRI', about('per', 'x y'), /object.*IRI/i],
    ['a moment without a zone', about('per', 'https://x.example', { timestamp: '2027-03-01T08:00:00' }), /with its zone/],
    ['something that there is not', about('per', 'https://x.example', { mood: 'good' }), /mood/],
    [
      'a letter that no database takes, in a name',
      about('per', 'https://x.example', { context: { extensions: { 'a\u0000b': 1 } } }),
      /a name/i,
    ],
    ['an attachment', about('per', 'https://x.example', { attachments: [{}] }), /attachments are not taken/],
    ['501 of them', Array.from({ length: 501 }, () => about('per', 'https://x.example')), /at most 500/],
  ])('%s is refused whole, with a sentence', async (_, body, words) => {
    const before = (await rows(house.db, 'select 1 from statements')).length;
    expect((await send(body).expect(400)).body.message).toMatch(words);
    expect((await rows(house.db, 'select 1 from statements')).length).toBe(before);
  });

  it('needs a version, a token, and its scope; a name and the token as a password do as well', async () => {
    const { token: reads } = await makeToken(house.deps, TokenDraft.parse({ name: 'reads', scopes: ['people'] }), 'Sigrid Aune');
    expect((await request(app).post('/api/xapi/statements').set('authorization', `Bearer ${key}`).send({}).expect(400)).body.message).toContain('X-Experience-API-Version'); // prettier-ignore
    expect((await send(about('per', own()), reads).expect(403)).body.message).toContain('may not bring completions: it has people; expected completions'); // prettier-ignore
    await send(about('per', own()), 'nudrik_x').expect(401);
    const put = about('nobody', own());
    const basic = () => request(app).put(`/api/xapi/statements?statementId=${put['id']}`).auth('register', key).set('x-experience-api-version', '2.0.0'); // prettier-ignore
    await basic().send({ ...put, id: undefined }).expect(204); // prettier-ignore
    await basic().send(put).expect(204);
    expect(
      (
        await basic()
          .send({ ...put, id: '00000000-0000-4000-8000-000000000000' })
          .expect(400)
      ).body.message,
    ).toContain('the address says');
    expect((await request(app).get('/api/xapi/about').expect(200)).body).toEqual({ version: ['1.0.3', '2.0.0'] });
  });
});

describe('statements that go out', () => {
  const ask = (query: string) => request(app).get(`/api/xapi/statements?${query}`).set('authorization', `Bearer ${key}`).set('x-experience-api-version', '2.0.0'); // prettier-ignore
  it('tell each completion that stands, as a statement that another program can take, with the same id each time', async () => {
    await drain(house.deps, house.mailer);
    const { statements, more } = (await ask('').expect(200)).body as { statements: Record<string, never>[]; more: string };
    expect(more).toBe('');
    const finished = await rows(house.db, "select 1 from assignments where closed_by = 'finished'");
    expect(statements).toHaveLength(finished.length);
    for (const statement of statements) expect(Statement.safeParse(statement).success).toBe(true);
    expect((await ask('').expect(200)).body.statements).toEqual(statements);
    const runa = (await ask(`agent=${encodeURIComponent('{"mbox":"mailto:Runa@orlasund.example"}')}&activity=${encodeURIComponent(own())}`)).body.statements; // prettier-ignore
    expect(runa).toEqual([expect.objectContaining({ verb: { id: `${ADL}/completed`, display: { en: 'completed' } }, timestamp: '2027-02-28T23:00:00.000Z' })]); // prettier-ignore
    expect((await ask('verb=http://adlnet.gov/expapi/verbs/failed')).body.statements).toEqual([]);
    expect((await ask('agent=x').expect(400)).body.message).toContain('expected an agent with an mbox');
  });

  it('page by page, each once, either way round', async () => {
    const all = (await ask('ascending=true')).body.statements as { id: string }[];
    for (const order of ['ascending=true', 'ascending=false']) {
      const found: string[] = [];
      for (let url = `limit=2&${order}`; ;) {
        const { statements, more } = (await ask(url).expect(200)).body as { statements: { id: string }[]; more: string };
        found.push(...statements.map(({ id }) => id));
        if (!more) break;
        url = more.slice(more.indexOf('?') + 1);
      }
      const expected = all.map(({ id }) => id);
      expect(found).toEqual(order === 'ascending=true' ? expected : expected.reverse());
    }
  });
});
