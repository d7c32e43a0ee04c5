import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import request from 'supertest';
import type { Express } from 'express';
import { ROLES, type Role } from '@nudrik/contract';
import { createApp, ROUTES } from './app.ts';
import { hashPassword } from './access/sessions.ts';
import { REFUSALS } from './refusal.ts';
import { isAllowed } from './route.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from './testing.ts';
import { planWaiting } from './notices/plan.ts';
import { drain } from './worker.ts';

let house: TestHouse;
let app: Express;
let crew: Record<string, string>;
let course: string;
const accounts: Partial<Record<Role, string>> = {};

beforeAll(async () => {
  house = await openTestHouse();
  app = createApp(house.deps, null);
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  const password = await hashPassword('a long enough word');
  const people: Record<Role, string | null> = {
    administrator: null,
    trainer: crew['tora']!,
    manager: crew['odd']!,
    employee: crew['runa']!,
    auditor: null,
  };
  for (const role of ROLES) {
    const { rows } = await house.db.query<{ id: string }>(
      'insert into accounts (email, name, role, person_id, password_hash) values ($1::text, $2::text, $3::text, $4::bigint, $5::text) returning id',
      [`${role}@orlasund.example`, `The ${role}`, role, people[role], password],
    );
    accounts[role] = rows[0]!.id;
  }
});
afterAll(() => house.close());

/** A browser signed in as a role: cookie and page token. */
async function as(role: Role) {
  const agent = request.agent(app);
  const { body } = await agent.post('/api/session/demo').set('x-csrf-token', 'none').send({ accountId: accounts[role] }).expect(200);
  const csrf = (body as { csrf: string }).csrf;
  return {
    agent,
    post: (path: string, data: object | Buffer = {}) => agent.post(path).set('x-csrf-token', csrf).send(data),
    patch: (path: string, data: object) => agent.patch(path).set('x-csrf-token', csrf).send(data),
  };
}

describe('signing in', () => {
  it('with e-mail and password; the cookie is out of reach of scripts and other sites', async () => {
    const response = await request(app)
      .post('/api/session')
      .set('x-csrf-token', 'none')
      .send({ email: 'Auditor@orlasund.example', password: 'a long enough word' })
      .expect(200);
    expect(response.headers['set-cookie']![0]).toMatch(/HttpOnly; SameSite=Lax/);
    expect(response.body.account).toMatchObject({ role: 'auditor' });
  });
  it.each([
    ['a wrong password', 'auditor@orlasund.example', 'wrong'],
    ['an unknown account', 'nobody@orlasund.example', 'a long enough word'],
  ])('refuses %s in the same words', async (_, email, password) => {
    const { body } = await request(app).post('/api/session').set('x-csrf-token', 'none').send({ email, password }).expect(401);
    expect(body).toEqual({ code: 'wrong-password', message: REFUSALS['wrong-password'].message });
  });
  it('keeps only the digest of a token, and a session ends', async () => {
    const { agent } = await as('administrator');
    await agent.get('/api/people').expect(200);
    await house.db.query("update sessions set expires_at = now() - interval '1 second'");
    const { body } = await agent.get('/api/people').expect(401);
    expect(body.code).toBe('not-signed-in');
  });
  it('ends with leaving: whoever has left sees nothing any more, by a session that was open or by a new one', async () => {
    const { agent } = await as('manager');
    await agent.get('/api/team').expect(200);
    await house.db.query("update people set left_on = '2027-03-01' where id = $1::bigint", [crew['odd']]);
    expect((await agent.get('/api/team').expect(401)).body.code).toBe('not-signed-in');
    await agent.post('/api/session/demo').set('x-csrf-token', 'none').send({ accountId: accounts.manager }).expect(404);
    await request(app).post('/api/session').set('x-csrf-token', 'none').send({ email: 'manager@orlasund.example', password: 'a long enough word' }).expect(401); // prettier-ignore
    await house.db.query("update people set left_on = '2027-03-02' where id = $1::bigint", [crew['odd']]);
    await agent.get('/api/team').expect(200);
    await house.db.query('update people set left_on = null where id = $1::bigint', [crew['odd']]);
  });
  it('ends when nobody uses it, and stays as long as somebody does', async () => {
    const { agent } = await as('administrator');
    await house.db.query("update sessions set seen_at = now() - interval '50 minutes'");
    await agent.get('/api/people').expect(200);
    const { rows: seen } = await house.db.query(
      "select count(*)::integer as n from sessions where seen_at > now() - interval '10 seconds'",
    );
    expect(seen).toEqual([{ n: 1 }]);
    await house.db.query("update sessions set seen_at = now() - interval '61 minutes'");
    await agent.get('/api/people').expect(401);
  });
  it('is refused after too many tries at one account, from wherever they come, and for a quarter of an hour', async () => {
    const attempt = (password: string) =>
      request(app).post('/api/session').set('x-csrf-token', 'none').send({ email: 'trainer@orlasund.example', password });
    await house.db.query(
      `insert into sign_in_tries (key, since, tries) values ('account ' || encode(sha256('trainer@orlasund.example'), 'hex'), now(), 20)`,
    );
    expect((await attempt('a long enough word')).body.code).toBe('too-many-tries');
    await house.db.query("update sign_in_tries set since = now() - interval '16 minutes'");
    await attempt('a long enough word').expect(200);
    expect((await house.db.query("select key from sign_in_tries where key like 'account%'")).rows).toEqual([]);
  });
  it('refuses a change without the page’s token', async () => {
    const { agent } = await as('administrator');
    const { body } = await agent.post('/api/assignments').send({}).expect(403);
    expect(body.code).toBe('csrf');
  });
});

describe('every route', () => {
  it('names who may call it, and no path stands twice', () => {
    expect(new Set(ROUTES.map(({ method, path }) => `${method} ${path}`)).size).toBe(ROUTES.length);
    for (const route of ROUTES) expect(route.access.length).toBeGreaterThan(0);
    const open = ROUTES.filter(({ access }) => access === 'public').map(({ path }) => path);
    expect(
      open.every(
        (path) =>
          path === '/.well-known/jwks.json' ||
          /^\/api\/(session|demo\/accounts|verify|shown|badges|sign-off|learning|looks|pictures|packages|clock|calendars|brand|downloads|declines|chat|team\/:token$)/.test(
            path,
          ),
      ),
    ).toBe(true);
  });
  const guarded = ROUTES.filter(({ access }) => access !== 'public');
  it('refuses who is not signed in', async () => {
    for (const { method, path } of guarded) {
      const { body } = await request(app)[method](path.replace(/:\w+/g, '1')).set('x-csrf-token', 'none').expect(401);
      // a head is answered without a body
      if (method !== 'head') expect(body.code, `${method} ${path}`).toBe('not-signed-in');
    }
  });
  test.each(ROLES)('refuses a foreign role: %s', async (role) => {
    const { agent } = await as(role);
    const { body } = await agent.get('/api/session');
    for (const { method, path, access } of guarded) {
      if (isAllowed(access, body.account)) continue;
      const refused = await agent[method](path.replace(/:\w+/g, '1')).set('x-csrf-token', body.csrf).expect(403);
      if (method !== 'head') expect(refused.body.message, `${method} ${path}`).toContain('Your role');
    }
  });
  it('the table of refusals has a status and a sentence for each code', () => {
    for (const [code, { status, message }] of Object.entries(REFUSALS)) {
      expect(status, code).toBeGreaterThanOrEqual(400);
      expect(message, code).toMatch(/^[A-Z].*[.]$/);
    }
  });
});

describe('the web application', () => {
  it('is served from a folder named from here or from the root, and every page of it is the same file', async () => {
    const folder = mkdtempSync('web-of-a-test-');
    writeFileSync(`${folder}/index.html`, '<title>Nudrik</title>');
    try {
      for (const webDir of [folder, resolve(folder)]) {
        const served = createApp({ ...house.deps, settings: { ...house.deps.settings, webDir } }, null);
        for (const path of ['/', '/people/20', '/go/abc'])
          expect((await request(served).get(path).expect(200)).text).toBe('<title>Nudrik</title>');
        await request(served).get('/no-such-file.js').expect(404);
        const { headers } = await request(served).get('/');
        expect(headers['content-security-policy']).toContain("script-src 'self'");
        expect(headers['x-powered-by']).toBeUndefined();
      }
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
  it('an address of the API that is not there is told in a sentence', async () => {
    const { body } = await request(app).get('/api/nothing').expect(404);
    expect(body).toEqual({ code: 'not-found', message: 'There is no such address in the API.' });
  });
});

describe('roster files', () => {
  const HEADER = 'name,email,department,site';
  const ORDER = {
    fileName: 'roster.csv', mark: 'x', columns: ['name', 'email', 'department', 'site'], dateOrder: 'ymd', isComplete: false, emptyCells: 'keep',
    groups: { added: true, changed: true, returned: true, left: true }, confirmedLeft: null,
  }; // prettier-ignore
  const send = async (content: string | Buffer, order: object | string = ORDER) => {
    const { agent } = await as('administrator');
    const { body } = await agent.get('/api/session');
    return agent
      .post('/api/people/imports')
      .query({ order: typeof order === 'string' ? order : JSON.stringify(order) })
      .set('x-csrf-token', body.csrf)
      .set('content-type', 'application/octet-stream')
      .send(Buffer.isBuffer(content) ? content : Buffer.from(content));
  };
  test.each<[string, string | Buffer, RegExp]>([
    ['0 bytes', '', /roster\.csv: the file is empty \(0 bytes\)/],
    ['a PDF renamed .csv', '%PDF-1.7\n', /this is a PDF, whatever its name says/],
    ['a quotation mark never closed', `${HEADER}\n"Bo,b@orlasund.example,Deck,Orla Quay\n`, /quotation mark is opened and never closed/],
  ])('refuses a file: %s', async (_, content, words) => {
    const { status, body } = await send(content);
    expect(status).toBe(422);
    expect(body.message).toMatch(words);
    expect(body.message).toContain('Nothing was taken.');
  });
  test.each<[string, object | string, RegExp]>([
    ['that is not JSON', 'no', /Order: expected JSON/],
    ['with a column that there is not', { ...ORDER, columns: ['shoe size'] }, /Order, column 1: expected/],
  ])('refuses an order %s', async (_, order, words) => {
    const { status, body } = await send(`${HEADER}\n`, order);
    expect(status).toBe(400);
    expect(body.message).toMatch(words);
  });
  it('takes only against the roster that was looked at', async () => {
    const file = `${HEADER}\nBo Lervik,bo@orlasund.example,Yard,Orla Quay\n`;
    expect((await send(file)).status).toBe(409);
    const { agent } = await as('administrator');
    const { body: facts } = await agent.get('/api/people/roster').expect(200);
    expect(facts.people).toHaveLength(5);
    const { body } = await send(file, { ...ORDER, mark: facts.mark });
    expect(body).toMatchObject({ added: 1, changed: 0, returned: 0, left: 0, rejected: 0 });
    expect((await agent.get('/api/people/imports').expect(200)).body[0]).toMatchObject({ fileName: 'roster.csv', added: 1, hasFile: true });
    const kept = await agent.get(`/api/people/imports/${body.id}/file`).expect(200);
    expect(kept.text).toBe(file);
  });
}); // prettier-ignore

describe('assigning', () => {
  it('refuses a due date in the past, with both moments', async () => {
    const { post } = await as('administrator');
    const { body } = await post('/api/assignments/preview', {
      courseId: course,
      personIds: [crew['runa']],
      dueOn: '2027-02-26',
    }).expect(400);
    expect(body.message).toBe(
      'The due date Fri 26 Feb 17:00 has passed: it is Mon 1 Mar 10:30 for Runa Aske. Expected a later date; nothing was assigned.',
    );
  });
  it.each([
    ['nobody', { personIds: [] }, 'expected somebody'],
    ['a date mistyped', { personIds: ['1'], dueOn: '2027-13-01' }, 'Due date: expected a date like'],
  ])('refuses %s', async (_, change, words) => {
    const { post } = await as('administrator');
    const { body } = await post('/api/assignments', { courseId: course, dueOn: '2027-03-19', ...change }).expect(400);
    expect(body.message).toContain(words);
  });
  it('shows for these people each step’s local moment, who has it already, and stores nothing', async () => {
    const { post } = await as('administrator');
    const { body } = await post('/api/assignments/preview', {
      courseId: course,
      departments: ['Deck'],
      dueOn: '2027-03-19',
    }).expect(200);
    const kari = body.people.find((person: { name: string }) => person.name === 'Kari Aske');
    expect(kari.due).toBe('Fri 19 Mar 17:00');
    expect(kari.notices.find((notice: { step: string }) => notice.step === 'two-days-to-go')).toMatchObject({
      local: 'Wed 17 Mar 17:00',
      zone: 'Europe/London',
      outcome: 'send',
    });
    expect(kari.notices.find((notice: { step: string }) => notice.step === 'certificate')).toMatchObject({
      outcome: 'wait',
      sentence: 'Waits for: finished.',
    });
    expect((await house.db.query('select 1 from assignments')).rowCount).toBe(0);
    await post('/api/assignments', { courseId: course, personIds: [crew['runa']], dueOn: '2027-03-19' }).expect(200);
    const { body: second } = await post('/api/assignments', {
      courseId: course,
      personIds: [crew['runa'], crew['per']],
      dueOn: '2027-03-20',
    }).expect(200);
    expect(second).toMatchObject({ assigned: 1, already: 1, words: 'Assigned Fire Teams Aboard to Per Aske.' });
  });
});

describe('plans', () => {
  it('refuses an unknown merge field at saving, and a time of day with hours', async () => {
    const { agent, post } = await as('administrator');
    const { body: plan } = await agent.get(`/api/plans/${course}`);
    const change = (rest: object) => ({
      version: plan.version,
      steps: plan.steps.map((step: { id: string }) => (step.id === 'late' ? { ...step, ...rest } : step)),
    });
    const unknown = await post(
      `/api/plans/${course}/publish`,
      change({ message: { subject: 'Late', body: 'Dear {firstname}', button: null } }),
    ).expect(400);
    expect(unknown.body.message).toContain(
      'uses {firstname}, and there is no such merge field. Did you mean {given name}?'.replace(
        'given name',
        unknown.body.message.match(/mean \{(.*?)\}/)[1],
      ),
    );
    const hours = await post(`/api/plans/${course}/publish`, change({ offset: { amount: 2, unit: 'hours' } })).expect(400);
    expect(hours.body.message).toContain('a time of day (09:00) goes with days');
  });
  it('shows what publishing changes, does it, and refuses a stale draft', async () => {
    await house.db.query('truncate notices, assignments, assignment_events, replan cascade');
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    const { agent, post } = await as('administrator');
    const { body: plan } = await agent.get(`/api/plans/${course}`);
    const steps = plan.steps.map((step: { id: string }) =>
      step.id === 'two-days-to-go'
        ? { ...step, offset: { amount: -72, unit: 'hours' } }
        : step.id === 'to-manager'
          ? { ...step, on: false }
          : step,
    );
    const { body: preview } = await post(`/api/plans/${course}/preview`, { version: plan.version, steps }).expect(200);
    expect([preview.added, preview.moved, preview.dropped]).toEqual([0, 1, 1]);
    expect(preview.changes).toContainEqual({
      person: 'Runa Aske',
      stepName: 'Two days to go',
      what: 'moved',
      from: 'Wed 17 Mar 17:00',
      to: 'Tue 16 Mar 17:00',
    });
    await post(`/api/plans/${course}/publish`, { version: plan.version, steps }).expect(200, {
      version: plan.version + 1,
    });
    await planWaiting(house.deps);
    const { body: again } = await post(`/api/plans/${course}/preview`, { version: plan.version + 1, steps });
    expect([again.added, again.moved, again.dropped]).toEqual([0, 0, 0]);
    expect((await post(`/api/plans/${course}/publish`, { version: plan.version, steps }).expect(409)).body.code).toBe('stale');
  });
});

describe('links, certificates and people', () => {
  it.each([
    ['one that is cut short', 'abc', 'This link is not complete'],
    ['one that belongs to nobody', 'x'.repeat(32), 'does not belong to any assignment'],
  ])('refuses a wrong link: %s', async (_, token, words) => {
    const { body } = await request(app).get(`/api/learning/${token}`).expect(404);
    expect(body.message).toContain(words);
  });
  it('a wrong serial is told apart from an unknown one', async () => {
    const wrong = await request(app).get('/api/verify/7F3K-9QWD-A').expect(200);
    expect(wrong.body.answer).toBe('unknown');
  });
  it('a manager acts on the own line only', async () => {
    const [own] = (await house.db.query<{ id: string }>('select id from assignments where person_id = $1::bigint', [crew['runa']])).rows;
    const [foreign] = await assignAt(house, course, [crew['kari']!], '2027-03-19T16:00:00Z');
    const { post } = await as('manager');
    await post(`/api/assignments/${own!.id}/extend`, { dueOn: '2027-03-26', reason: 'ill' }).expect(200);
    const { body } = await post(`/api/assignments/${foreign}/extend`, { dueOn: '2027-03-26', reason: 'ill' }).expect(403);
    expect(body.message).toContain('not in your line');
  });
  it('a manager takes back what they did themself, and nothing else', async () => {
    const [{ id: own }] = (await house.db.query('select id from assignments where person_id = $1::bigint', [crew['runa']])).rows;
    const [manager, office] = [await as('manager'), await as('administrator')];
    const extend = async ({ post }: typeof manager, dueOn: string): Promise<string> => (await post(`/api/assignments/${own}/extend`, { dueOn, reason: 'ill' }).expect(200)).body.actId; // prettier-ignore
    const mine = await extend(manager, '2027-04-01');
    await manager.post(`/api/assignments/acts/${mine}/undo`).expect(200);
    const theirs = await extend(office, '2027-04-02');
    const { body } = await manager.post(`/api/assignments/acts/${theirs}/undo`).expect(403);
    expect(body.message).toContain('takes back what they did themself');
    await manager.post('/api/assignments/acts/999999/undo').expect(404);
    // who has left the line since is nobody whom they act on
    const last = await extend(manager, '2027-04-03');
    await house.db.query('update people set manager_id = null where id = $1::bigint', [crew['runa']]);
    expect((await manager.post(`/api/assignments/acts/${last}/undo`).expect(403)).body.message).toContain('not in your line');
    await house.db.query('update people set manager_id = $2::bigint where id = $1::bigint', [crew['runa'], crew['odd']]);
  });
  it('refuses an address that is taken and a manager up the own line', async () => {
    const { patch } = await as('administrator');
    expect((await patch(`/api/people/${crew['runa']}`, { email: 'per@orlasund.example' }).expect(409)).body.message).toContain(
      'is the address of Per Aske',
    );
    expect((await patch(`/api/people/${crew['kari']}`, { managerId: crew['runa'] }).expect(409)).body.message).toContain('run in a circle');
  });
});

describe('a personal link', () => {
  it('stands in the letter to its own reader alone, is on the record as that, and ends with leaving', async () => {
    const [id] = await assignAt(house, course, [crew['per']!], '2027-03-19T16:00:00Z');
    await drain(house.deps, house.mailer);
    const letter = house.mailer.letters.find(({ toAddress }) => toAddress.startsWith('per@'))!;
    const [, token] = /\/go\/([\w-]+)/.exec(letter.text)!;
    const { rows: notices } = await house.db.query<{ id: string; unit: string }>(
      `select n.id, (select min(u.id) from units u join sections s on s.id = u.section_id where s.course_id = n.course_id) as unit
       from notices n where n.assignment_id = $1::bigint and n.kind = 'invitation'`,
      [id],
    );
    for (const role of ['auditor', 'administrator', 'trainer'] as const) {
      const { agent } = await as(role);
      const { body } = await agent.get(`/api/notices/${notices[0]!.id}`).expect(200);
      expect(JSON.stringify(body)).not.toContain(token);
      expect(body.mail.text).toContain('(personal link)');
    }
    // the database has no link: neither the assignment nor the letter opens anything as they are kept
    const { rows: kept } = await house.db.query<{ text: string }>('select html || body as text from messages union all select token from assignments'); // prettier-ignore
    expect(kept.length).toBeGreaterThan(1);
    expect(kept.filter(({ text }) => text.includes(token!))).toEqual([]);
    const [, asKept] = /\/go\/([\w-]+)/.exec(kept.find(({ text }) => text.includes('/go/'))!.text)!;
    for (const wrong of [asKept!, `${asKept}${'A'.repeat(32)}`, `${token!.slice(0, -1)}${token!.endsWith('A') ? 'B' : 'A'}`])
      await request(app).get(`/api/learning/${wrong}`).expect(404);
    // its own reader has it, signed in
    await house.db.query("insert into accounts (email, name, role, person_id, password_hash) values ('per@orlasund.example', 'Per', 'auditor', $1::bigint, $2::text)", [crew['per'], await hashPassword('correct horse battery')]); // prettier-ignore
    const own = request.agent(app);
    await own
      .post('/api/session')
      .set('x-csrf-token', 'none')
      .send({ email: 'per@orlasund.example', password: 'correct horse battery' })
      .expect(200);
    expect((await own.get(`/api/notices/${notices[0]!.id}`).expect(200)).body.mail.text).toContain(`/go/${token}`);
    const done = () => request(app).post(`/api/learning/${token}/units/${notices[0]!.unit}/done`);
    // another site cannot act through it in a browser that has it open
    await done().expect(401);
    for (const elsewhere of [
      { 'sec-fetch-site': 'cross-site' },
      { 'sec-fetch-site': 'same-site' },
      { origin: 'https://elsewhere.example' },
      { origin: 'null' },
    ])
      await done()
        .set({ 'x-csrf-token': 'none', ...elsewhere })
        .expect(403);
    await done().set({ 'x-csrf-token': 'none', 'sec-fetch-site': 'same-origin' }).expect(200);
    const { rows: events } = await house.db.query("select by_whom from assignment_events where assignment_id = $1::bigint and type = 'unit-finished'", [id]); // prettier-ignore
    expect(events).toEqual([{ by_whom: 'Per Aske, by personal link' }]);
    await house.db.query("update people set left_on = '2027-03-01' where id = $1::bigint", [crew['per']]);
    await request(app).get(`/api/learning/${token}`).expect(404);
    await house.db.query('update people set left_on = null where id = $1::bigint', [crew['per']]);
    await request(app).get(`/api/learning/${token}`).expect(200);
  });
});

describe('what cannot be read', () => {
  it.each<[string, string, Record<string, string>, string | Buffer, number]>([
    ['a character set that there is not', '/api/people/groups', { 'content-type': 'application/json; charset=utf-99' }, '{}', 415],
    ['a compression that there is not', '/api/people/groups', { 'content-encoding': 'nonsense' }, '{}', 415],
    ['what is not compressed as it says', '/api/people/groups', { 'content-encoding': 'gzip' }, '{}', 400],
    ['half a JSON', '/api/people/groups', {}, '{"name":', 400],
    ['a NUL in a text', '/api/people/groups', {}, '{"name":"a\\u0000b","about":null}', 400],
    ['half a character', '/api/people/groups', {}, '{"name":"\\ud800","about":null}', 400],
    ['a JSON of a thousand levels', '/api/people/groups', {}, `{"name":${'['.repeat(1_000)}${']'.repeat(1_000)}}`, 400],
    ['a line break in a name', '/api/people/groups', {}, '{"name":"a\\nb","about":null}', 400],
    ['the year 0', '/api/assignments/extend', {}, '{"assignmentIds":["1"],"dueOn":"0000-01-01","reason":"x"}', 400],
    ['the year 9999', '/api/assignments/extend', {}, '{"assignmentIds":["1"],"dueOn":"9999-12-31","reason":"x"}', 400],
    ['a member whom there is not', '/api/people/groups/1/members', {}, '{"add":["999999"],"remove":[]}', 404],
  ])('%s is refused with a sentence', async (_, path, headers, body, status) => {
    const { agent, post } = await as('administrator');
    void post;
    const csrf = ((await agent.get('/api/session')).body as { csrf: string }).csrf;
    const call = agent.post(path).set('x-csrf-token', csrf).set('content-type', 'application/json');
    for (const [name, value] of Object.entries(headers)) void call.set(name, value);
    const answer = await call.serialize((text: unknown) => text as string).send(body as string);
    expect([answer.status, typeof answer.body.message]).toEqual([status, 'string']);
  });
  it('a % that stands for nothing is refused with a sentence', async () => {
    const { agent } = await as('administrator');
    const answer = await agent.get('/api/people/%zz');
    expect([answer.status, answer.body.code]).toEqual([400, 'wrong-input']);
  });
  it('keeps what is written in two ways as one: é is é', async () => {
    const { post } = await as('administrator');
    await post('/api/people/groups', { name: 'Équipe'.normalize('NFD'), about: null }).expect(200);
    const { rows: found } = await house.db.query('select name from groups');
    expect(found).toEqual([{ name: 'Équipe'.normalize('NFC') }]);
  });
});
