import request from 'supertest';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { AccountsView, SessionRow } from '@nudrik/contract';
import { createApp } from '../app.ts';
import { rows } from '../db/db.ts';
import { makeCrew, openMailSink, openTestHouse, type TestHouse } from '../testing.ts';
import { browserOf } from './accounts.repo.ts';
import { hashPassword } from './sessions.ts';

let house: TestHouse;
let crew: Record<string, string>;
let app: ReturnType<typeof createApp>;
let sink: Awaited<ReturnType<typeof openMailSink>>;

interface Caller {
  agent: ReturnType<typeof request.agent>;
  csrf: string;
}
const PASSWORD = 'a password long enough';
const enter = async (email: string, password = PASSWORD): Promise<Caller> => {
  const agent = request.agent(app);
  const { body } = await agent.post('/api/session').set('x-csrf-token', 'none').send({ email, password }).expect(200);
  return { agent, csrf: body.csrf as string };
};
type Method = 'post' | 'put' | 'patch' | 'delete';
const ask = ({ agent, csrf }: Caller, method: Method, path: string, body: object = {}) =>
  agent[method](path).set('x-csrf-token', csrf).send(body);
const nobody = (): Caller => ({ agent: request.agent(app), csrf: 'none' });
/** The newest mail to somebody, and the key in it. */
async function keyFor(address: string): Promise<string> {
  for (let turn = 0; turn < 400; turn++) {
    const at = sink.mails.findLastIndex((text) => text.includes(`To: ${address}`) || text.includes(`<${address}>`));
    if (at >= 0) return /\/enter\/([\w-]{43})/.exec(sink.mails.splice(at, 1)[0]!)![1]!;
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
  throw new Error(`No mail came to ${address}.`);
}

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  sink = await openMailSink();
  house.deps.settings.smtpUrl = sink.url;
});
afterAll(async () => {
  await sink.close();
  await house.close();
});
beforeEach(async () => {
  sink.mails = [];
  sink.isOpen = true;
  app = createApp(house.deps, null); // with tries of its own
  await house.db.query('delete from accounts; delete from sign_in_tries');
  await house.db.query(
    "insert into accounts (email, name, role, password_hash) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator', $1::text)",
    [await hashPassword(PASSWORD)],
  );
});

describe('an administrator invites', () => {
  it('by mail; the link opens once, with a password of their own, and they are on the record', async () => {
    const sigrid = await enter('sigrid@orlasund.example');
    const invited = await ask(sigrid, 'post', '/api/accounts', {
      email: 'Tora@Orlasund.example',
      name: 'Tora Aske',
      role: 'trainer',
    }).expect(200);
    expect(invited.body).toMatchObject({
      isSent: true,
      words: 'Tora Aske was invited; the mail server took the mail to tora@orlasund.example.',
    });
    const key = await keyFor('tora@orlasund.example');
    const tora = nobody();
    // mail programs look at links: looking uses nothing up
    for (let turn = 0; turn < 3; turn++)
      expect((await tora.agent.get(`/api/session/keys/${key}`).expect(200)).body).toMatchObject({
        purpose: 'invitation',
        name: 'Tora Aske',
      });
    await ask(tora, 'post', `/api/session/keys/${key}`, { password: 'short' }).expect(400, /at least 12 characters/);
    await ask(tora, 'post', `/api/session/keys/${key}`, {}).expect(400, /12 characters/);
    const { body } = await ask(tora, 'post', `/api/session/keys/${key}`, { password: 'another long password' }).expect(200);
    expect(body.account).toMatchObject({ name: 'Tora Aske', role: 'trainer', personId: crew['tora'] });
    await ask(nobody(), 'post', `/api/session/keys/${key}`, { password: 'another long password' }).expect(
      404,
      /opened before, or has run out/,
    );
    await enter('tora@orlasund.example', 'another long password');
    const view = (await sigrid.agent.get('/api/accounts').expect(200)).body as AccountsView;
    expect(view.accounts.map(({ name, role, state }) => [name, role, state])).toEqual([
      ['Sigrid Aune', 'administrator', 'active'],
      ['Tora Aske', 'trainer', 'active'],
    ]);
    expect(view.record.map(({ byWhom, words }) => [byWhom, words])).toEqual([
      ['Tora Aske', 'Chose a password.'],
      ['Sigrid Aune', 'Invited as a trainer.'],
    ]);
    await ask(sigrid, 'post', '/api/accounts', { email: 'tora@orlasund.example', name: 'Tora', role: 'auditor' }).expect(
      409,
      /has an account already, as a trainer/,
    );
  });

  it('and is told where the mail was not taken; inviting again makes the former link worthless', async () => {
    const sigrid = await enter('sigrid@orlasund.example');
    sink.isOpen = false;
    const first = await ask(sigrid, 'post', '/api/accounts', { email: 'eva@outside.example', name: 'Eva', role: 'auditor' }).expect(200);
    expect(first.body.isSent).toBe(false);
    expect(first.body.words).toContain('did not take the mail to eva@outside.example');
    sink.isOpen = true;
    await ask(sigrid, 'post', '/api/accounts', { email: 'eva@outside.example', name: 'Eva', role: 'auditor' }).expect(200);
    const old = await keyFor('eva@outside.example');
    await ask(sigrid, 'post', '/api/accounts', { email: 'eva@outside.example', name: 'Eva', role: 'auditor' }).expect(200);
    await nobody().agent.get(`/api/session/keys/${old}`).expect(404);
    await nobody()
      .agent.get(`/api/session/keys/${await keyFor('eva@outside.example')}`)
      .expect(200);
    await house.db.query("update account_keys set expires_at = now() - interval '1 second'");
    expect(((await sigrid.agent.get('/api/accounts')).body as AccountsView).accounts.find(({ name }) => name === 'Eva')!.state).toBe(
      'lapsed',
    );
  });

  it('ends and changes accounts at once, and never the last administrator or their own', async () => {
    const sigrid = await enter('sigrid@orlasund.example');
    const [{ id: own }] = (await rows<{ id: string }>(house.db, 'select id from accounts')) as [{ id: string }];
    await ask(sigrid, 'delete', `/api/accounts/${own}`).expect(409, /your own account/);
    await ask(sigrid, 'patch', `/api/accounts/${own}`, { role: 'trainer' }).expect(409, /only administrator/);
    await house.db.query(
      "insert into accounts (email, name, role, password_hash) select 'per@orlasund.example', 'Per', 'administrator', password_hash from accounts",
    );
    const per = await enter('per@orlasund.example');
    const { id } = ((await per.agent.get('/api/accounts')).body as AccountsView).accounts.find(({ name }) => name === 'Per')!;
    await ask(sigrid, 'patch', `/api/accounts/${id}`, { role: 'auditor' }).expect(200);
    await per.agent.get('/api/accounts').expect(403);
    await per.agent.get('/api/today').expect(200);
    await ask(sigrid, 'delete', `/api/accounts/${id}`).expect(200);
    await per.agent.get('/api/today').expect(401);
    await ask(nobody(), 'post', '/api/session', { email: 'per@orlasund.example', password: PASSWORD }).expect(401);
    await ask(sigrid, 'delete', `/api/accounts/${id}`).expect(409, /has ended already/);
    await ask(sigrid, 'delete', '/api/accounts/999').expect(404);
    // of two administrators who end each other at one moment one stays
    await house.db.query(
      "update accounts set ended_at = null, role = 'administrator', password_hash = (select password_hash from accounts where name = 'Sigrid Aune')",
    );
    const both = [await enter('sigrid@orlasund.example'), await enter('per@orlasund.example')] as const;
    await Promise.all([ask(both[0], 'delete', `/api/accounts/${id}`), ask(both[1], 'delete', `/api/accounts/${own}`)]);
    expect(await rows(house.db, "select 1 from accounts where role = 'administrator' and ended_at is null")).toHaveLength(1);
  });
});

describe('a link that is asked for', () => {
  it('lets a manager in without a password, because people are below them; nobody else learns anything', async () => {
    for (const email of ['odd@orlasund.example', 'runa@orlasund.example', 'nobody@nowhere.example'])
      expect((await ask(nobody(), 'post', '/api/session/link', { email }).expect(200)).body).toEqual({ done: true });
    const key = await keyFor('odd@orlasund.example');
    const odd = nobody();
    expect((await odd.agent.get(`/api/session/keys/${key}`)).body).toMatchObject({ purpose: 'sign-in', name: 'Odd Aske' });
    const { body } = await ask(odd, 'post', `/api/session/keys/${key}`).expect(200);
    expect(body.account).toMatchObject({ role: 'manager', personId: crew['odd'] });
    await odd.agent.get('/api/team').expect(200);
    await odd.agent.get('/api/today').expect(403);
    await ask(nobody(), 'post', `/api/session/keys/${key}`).expect(404);
    expect(sink.mails).toEqual([]);
    expect((await rows(house.db, 'select 1 from accounts')).length).toBe(2);
    // who left is no manager any more, and neither is somebody whose people left
    await house.db.query("update people set left_on = '2027-02-01' where name = 'Odd Aske'");
    await odd.agent.get('/api/team').expect(401);
    await house.db.query('update people set left_on = null');
  });

  it('an employee with an account who has people below them is a manager by that, and is none when they are gone', async () => {
    await house.db.query(
      `insert into accounts (email, name, role, person_id, password_hash)
       select 'odd@orlasund.example', 'Odd Aske', 'employee', $1::bigint, password_hash from accounts`,
      [crew['odd']],
    );
    const odd = await enter('odd@orlasund.example');
    await odd.agent.get('/api/team').expect(200);
    await odd.agent.get('/api/accounts').expect(403);
    await house.db.query("update people set left_on = '2027-02-01' where manager_id = $1::bigint", [crew['odd']]);
    await odd.agent.get('/api/team').expect(403);
    await house.db.query('update people set left_on = null');
  });

  it('gives a new password, and ends every session that had the old one', async () => {
    const old = await enter('sigrid@orlasund.example');
    await ask(nobody(), 'post', '/api/session/link', { email: 'SIGRID@orlasund.example' }).expect(200);
    const key = await keyFor('sigrid@orlasund.example');
    await ask(nobody(), 'post', `/api/session/keys/${key}`, { password: 'quite another password' }).expect(200);
    await old.agent.get('/api/today').expect(401);
    await ask(nobody(), 'post', '/api/session', { email: 'sigrid@orlasund.example', password: PASSWORD }).expect(401);
    await enter('sigrid@orlasund.example', 'quite another password');
  });

  it('is counted like a try to sign in', async () => {
    const answers = [];
    for (let turn = 0; turn < 22; turn++) answers.push((await ask(nobody(), 'post', '/api/session/link', { email: 'x@y.example' })).status);
    expect(answers.at(-1)).toBe(429);
  });

  it.each(['x', `${'a'.repeat(43)}`, '..%2f..', 'a'.repeat(42) + '%00'])('that is none (%s) opens nothing', async (key) => {
    expect([400, 404]).toContain((await nobody().agent.get(`/api/session/keys/${key}`)).status);
    expect([400, 404]).toContain((await ask(nobody(), 'post', `/api/session/keys/${key}`, { password: PASSWORD })).status);
  });
});

describe('one’s own account', () => {
  it('lists sessions, ends one and all others', async () => {
    const here = await enter('sigrid@orlasund.example');
    const there = await enter('sigrid@orlasund.example');
    const third = await enter('sigrid@orlasund.example');
    const list = (await here.agent.get('/api/account/sessions').expect(200)).body as SessionRow[];
    expect(list.filter(({ isThis }) => isThis)).toHaveLength(1);
    expect(list).toHaveLength(3);
    const mine = ((await there.agent.get('/api/account/sessions')).body as SessionRow[]).find(({ isThis }) => isThis)!;
    await ask(here, 'delete', `/api/account/sessions/${mine.id}`).expect(200);
    await there.agent.get('/api/today').expect(401);
    await ask(here, 'delete', `/api/account/sessions/${mine.id}`).expect(404);
    await ask(here, 'delete', '/api/account/sessions/others').expect(200);
    await third.agent.get('/api/today').expect(401);
    await here.agent.get('/api/today').expect(200);
    // nobody ends a session of somebody else
    await house.db.query(
      "insert into accounts (email, name, role, password_hash) select 'per@orlasund.example', 'Per', 'trainer', password_hash from accounts",
    );
    const per = await enter('per@orlasund.example');
    const own = ((await here.agent.get('/api/account/sessions')).body as SessionRow[])[0]!;
    await ask(per, 'delete', `/api/account/sessions/${own.id}`).expect(404);
    await here.agent.get('/api/today').expect(200);
  });

  it('changes its password by the one it has; other sessions end', async () => {
    const here = await enter('sigrid@orlasund.example');
    const there = await enter('sigrid@orlasund.example');
    await ask(here, 'put', '/api/account/password', { current: 'wrong', password: 'a new long password' }).expect(400, /not your password/);
    await ask(here, 'put', '/api/account/password', { current: PASSWORD, password: 'short' }).expect(400, /12 characters/);
    await ask(here, 'put', '/api/account/password', { current: PASSWORD, password: 'a new long password' }).expect(200);
    await here.agent.get('/api/today').expect(200);
    await there.agent.get('/api/today').expect(401);
    await enter('sigrid@orlasund.example', 'a new long password');
  });

  it.each([
    ['Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0', 'Firefox on Linux'],
    [
      'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36 Edg/140.0',
      'Edge on Windows',
    ],
    [
      'Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.0 Mobile/15E148 Safari/604.1',
      'Safari on iOS',
    ],
    ['', 'a browser'],
  ])('tells browsers as people call them: %s', (agent, words) => expect(browserOf(agent)).toBe(words));
});
