import type { Express } from 'express';
import request from 'supertest';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { RESOURCES, SCOPES, TokenDraft, type Resource, type Scope } from '@nudrik/contract';
import { createApp } from '../app.ts';
import { look, lookedView, LOOKED, tellLook } from '../evidence/looked.ts';
import { ROUTES } from '../app.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { makeToken, programsView, stopToken } from './programs.ts';

let house: TestHouse;
let app: Express;
let crew: Record<string, string>;
let course: string;
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  app = createApp(house.deps, null);
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await assignAt(house, course, ['runa', 'per', 'odd'].map((name) => crew[name]!), '2027-03-04T16:00:00Z'); // prettier-ignore
  for (const at of ['2027-03-01T10:00:00Z', '2027-03-06T10:00:00Z']) {
    house.clock.at = Date.parse(at);
    await drain(house.deps, house.mailer);
  }
});
afterAll(() => house.close());

const token = async (scopes: readonly Scope[], until: string | null = null): Promise<{ id: string; token: string }> => makeToken(house.deps, TokenDraft.parse({ name: `for ${scopes.join()}`, scopes, until }), 'Sigrid Aune'); // prettier-ignore
const ask = (path: string, key: string) => request(app).get(`/api/v1/${path}`).set('authorization', `Bearer ${key}`);

describe('another program', () => {
  it('reads what its token has, and each row is what the contract says', async () => {
    const { token: key } = await token(SCOPES);
    for (const resource of Object.keys(RESOURCES) as Resource[]) {
      const { body } = await ask(resource, key).expect(200);
      const { rows, next } = body as { rows: unknown[]; next: string | null };
      expect(next).toBeNull();
      for (const row of rows) expect(RESOURCES[resource].row.strict().parse(row)).toEqual(row);
      expect(rows.length > 0 || ['certificates', 'requirements'].includes(resource)).toBe(true);
    }
    const { body } = await ask(`assignments?person=${crew['runa']}&state=open`, key).expect(200);
    expect(body.rows).toEqual([expect.objectContaining({ personId: crew['runa'], courseId: course, state: 'late', unitsDone: 0, closedAt: null })]); // prettier-ignore
    expect((await ask('people?email=RUNA.ASKE@orlasund.example', key)).body.rows).toHaveLength(
      (await house.db.query("select 1 from people where lower(email) = 'runa.aske@orlasund.example'")).rows.length,
    );
  });

  it('reads page by page, each row once, whatever the size of a page', async () => {
    const { token: key } = await token(['notices']);
    const whole = (await ask('notices?limit=1000', key)).body.rows as { id: string }[];
    expect(whole.length).toBeGreaterThan(5);
    for (const limit of [1, 2, 7]) {
      const found: string[] = [];
      for (let after = ''; ;) {
        const { body } = await ask(`notices?limit=${limit}${after && `&after=${after}`}`, key).expect(200);
        found.push(...(body.rows as { id: string }[]).map(({ id }) => id));
        if (body.next === null) break;
        after = body.next as string;
      }
      expect(found).toEqual(whole.map(({ id }) => id));
    }
  });

  test.each<[string, string | null, number, RegExp]>([
    ['without a token', null, 401, /Expected a token/],
    ['with one that there is not', 'nudrik_x', 401, /opens nothing/],
  ])('%s is told so', async (_, key, status, words) => {
    const asked = key === null ? request(app).get('/api/v1/people') : ask('people', key);
    expect((await asked.expect(status)).body.message).toMatch(words);
  });

  it('reads nothing beyond its scope, after its last day, or once it was ended; and changes nothing', async () => {
    const { id, token: key } = await token(['people']);
    expect((await ask('notices', key).expect(403)).body.message).toContain('may not read notices: it has people; expected notices');
    expect((await request(app).post('/api/v1/people').set('authorization', `Bearer ${key}`).send({}).expect(403)).body.message).toContain('change nothing'); // prettier-ignore
    expect((await ask('peoples', key).expect(404)).body.message).toContain('Expected one of people');
    // a session opens nothing here, nor a token there
    expect((await request(app).get('/api/people').set('authorization', `Bearer ${key}`).expect(401)).body.code).toBe('not-signed-in');
    const last = await token(['people'], '2027-03-06');
    await ask('people', last.token).expect(200);
    house.clock.at = Date.parse('2027-03-07T09:00:00Z');
    await ask('people', last.token).expect(401);
    await stopToken(house.deps, id, 'Sigrid Aune');
    await ask('people', key).expect(401);
    // ended already: nothing is left to end
    await stopToken(house.deps, id, 'somebody else');
    const rows = (await programsView(house.deps)).tokens;
    expect(rows.find((row) => row.id === id)).toMatchObject({ endedBy: 'Sigrid Aune', lastUsedAt: expect.anything() });
    expect(JSON.stringify(rows)).not.toContain(key.slice(8));
    await expect(stopToken(house.deps, '999999', 'x')).rejects.toThrow('There is no such token');
  });

  test.each<[string, RegExp]>([
    ['notices?limit=5000', /Limit: /i],
    ['notices?after=abc', /whole number/],
    ['notices?from=2027-13-45', /expected a date/i],
    ['notices?persn=7', /There is no filter “persn”; expected some of after, limit, person/],
    ['people?email=%00', /character/],
  ])('%s is refused in a sentence', async (path, words) => {
    const { token: key } = await token(SCOPES);
    expect((await ask(path, key).expect(400)).body.message).toMatch(words);
  });

  it('is described by OpenAPI 3.1: each address, what it asks, and what a row is', async () => {
    const { body } = await request(app).get('/api/v1/openapi.json').expect(200);
    expect(body.openapi).toBe('3.1.0');
    expect(Object.keys(body.paths as object)).toEqual(Object.keys(RESOURCES).map((name) => `/${name}`));
    const { get } = body.paths['/assignments'] as { get: { parameters: { name: string }[]; responses: Record<string, { content: Record<string, { schema: { properties: { rows: { items: { $ref: string } } } } }> }> } }; // prettier-ignore
    expect(get.parameters.map(({ name }) => name)).toEqual(['after', 'limit', 'person', 'course', 'state']);
    expect(get.responses['200']!.content['application/json']!.schema.properties.rows.items.$ref).toBe('#/components/schemas/Assignment');
    expect(Object.keys((body.components as { schemas: Record<string, { properties: object }> }).schemas['Assignment']!.properties)).toEqual(Object.keys(RESOURCES.assignments.row.shape)); // prettier-ignore
    // the same a second time
    expect((await request(app).get('/api/v1/openapi.json')).body).toEqual(body);
  });
});

describe('what an auditor looks at', () => {
  const account = { id: '901', role: 'auditor', name: 'Elias Brekke', email: 'e@a.example', personId: null } as const;
  it('is told by pages that there are', () => {
    const paths = new Set(ROUTES.filter(({ method }) => method === 'get').map(({ path }) => path));
    for (const path of Object.keys(LOOKED)) expect(paths).toContain(path);
  });

  it('is kept once a day with how often; a page that asks again by itself is one look', async () => {
    const at = async (iso: string, what: 'looked' | 'took' = 'looked', words = 'Runa Aske'): Promise<void> => {
      house.clock.at = Date.parse(iso);
      await look(house.deps, account, what, words);
    };
    await at('2027-03-07T09:00:00Z');
    await at('2027-03-07T09:01:00Z');
    await at('2027-03-07T09:10:00Z');
    await at('2027-03-07T09:11:00Z', 'took', 'Matrix.xlsx');
    await at('2027-03-07T09:11:01Z', 'took', 'Matrix.xlsx');
    await at('2027-03-08T09:10:00Z');
    const told = async (query: object = {}) => (await lookedView(house.deps, account, { what: 'all', ...query })).rows.map(({ what, words, times }) => [what, words, times]); // prettier-ignore
    expect(await told()).toEqual([['looked', 'Runa Aske', 1], ['took', 'Matrix.xlsx', 2], ['looked', 'Runa Aske', 2]]); // prettier-ignore
    expect(await told({ what: 'took' })).toEqual([['took', 'Matrix.xlsx', 2]]);
    // another auditor sees none of it, an administrator all
    expect((await lookedView(house.deps, { ...account, id: '902' }, { what: 'all' })).rows).toEqual([]);
    expect((await lookedView(house.deps, { ...account, id: '902', role: 'administrator' }, { what: 'all' })).whose).toEqual([
      'Elias Brekke',
    ]);
  });

  it('is kept by asking for it, with filters in words; what cannot be told keeps no answer back', async () => {
    expect(tellLook('/api/matrix', {}, { department: 'Deck', state: 'late', size: '100' })).toBe('The matrix (department Deck, late)');
    expect(tellLook('/api/reports/courses/:id', { course: { title: 'Safe Lifting' } }, {})).toBe('The report of Safe Lifting');
    expect(tellLook('/api/reports/courses/:id', {}, {})).toBe('Something at /api/reports/courses/:id');
    expect(tellLook('/api/jobs', {}, {})).toBeNull();
    const { rows } = await house.db.query<{ id: string }>("insert into accounts (email, name, role) values ('a@a.example', 'An auditor', 'auditor') returning id"); // prettier-ignore
    const agent = request.agent(app);
    await agent.post('/api/session/demo').set('x-csrf-token', 'none').send({ accountId: rows[0]!.id }).expect(200);
    await agent.get(`/api/people/${crew['runa']}`).expect(200);
    await agent.get(`/api/reports/file?kind=csv&report=course&course=${course}`).expect(200);
    const mine = async () => (await lookedView(house.deps, { ...account, id: rows[0]!.id }, { what: 'all' })).rows.map(({ what, words }) => [what, words]).sort(); // prettier-ignore
    await expect.poll(mine).toEqual([['looked', 'Runa Aske'], ['took', expect.stringMatching(/^Fire Teams Aboard, 2027-03-08\.csv$/)]]); // prettier-ignore
    // each page that is kept is told by what it really answers
    const notice = (await house.db.query<{ id: string }>('select id from notices limit 1')).rows[0]!.id;
    const { rows: made } = await house.db.query<{ id: string }>(
      `insert into requirements (name, course_id, audience, due, changed_at, changed_by)
       values ('Everyone', $1, '{"all": []}', '{"kind": "date", "on": "2027-09-01"}', now(), 'x') returning id`,
      [course],
    );
    const { rows: talk } = await house.db.query<{ id: string }>(
      "insert into conversations (person_id, course_id, subject, is_open, opened_at, last_at) values ($1, $2, 'A question', true, now(), now()) returning id",
      [crew['runa'], course],
    );
    const ids: Record<string, string> = {
      '/api/people/:id': crew['runa']!,
      '/api/requirements/:id': made[0]!.id,
      '/api/notices/:id': notice,
      '/api/conversations/:id': talk[0]!.id,
    };
    for (const path of Object.keys(LOOKED)) {
      const asked = path.replace(/:(id|courseId|course|name|person)/g, (_, name: string) =>
        name === 'name' ? 'weeks' : name === 'person' ? crew['runa']! : name === 'id' ? (ids[path] ?? course) : course,
      );
      const { body } = await agent
        .get(`${asked}${path.endsWith('sample') ? '?from=2027-03-01&to=2027-03-02' : path.endsWith('day') ? '?on=2027-03-01' : ''}`)
        .expect(200);
      expect(tellLook(path, body, {})).not.toContain('Something at');
    }
  });
});
