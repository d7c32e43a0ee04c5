import { Secret, TOTP } from 'otpauth';
import request from 'supertest';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { createApp } from '../app.ts';
import { rows } from '../db/db.ts';
import { takeKey } from '../house/key.ts';
import { openTestHouse, type TestHouse } from '../testing.ts';
import { makeKey } from './accounts.repo.ts';
import { hide, reveal } from './hidden.ts';
import { hashPassword } from './sessions.ts';
import { setUp } from './setup.ts';

let house: TestHouse;
let app: ReturnType<typeof createApp>;
let sigrid: string;
const EMAIL = 'sigrid@orlasund.example';
const PASSWORD = 'a password long enough';
let hash: string;

beforeAll(async () => {
  house = await openTestHouse();
  hash = await hashPassword(PASSWORD);
});
afterAll(() => house.close());
beforeEach(async () => {
  app = createApp(house.deps, null);
  await house.db.query('delete from accounts; delete from sign_in_tries');
  const insert = 'insert into accounts (email, name, role, password_hash) values ($1::text, $2::text, $3::text, $4::text) returning id';
  [{ id: sigrid }] = (await rows(house.db, insert, [EMAIL, 'Sigrid Aune', 'administrator', hash])) as [{ id: string }];
  await house.db.query(insert, ['mina@orlasund.example', 'Mina', 'administrator', hash]);
});

const signIn = (code?: string, email = EMAIL) =>
  request(app).post('/api/session').set('x-csrf-token', 'none').send({ email, password: PASSWORD, code });
async function enter(code?: string, email = EMAIL) {
  const agent = request.agent(app);
  const { body } = await agent.post('/api/session').set('x-csrf-token', 'none').send({ email, password: PASSWORD, code }).expect(200);
  const ask = (method: 'post' | 'put' | 'delete', path: string, data: object = {}) =>
    agent[method](path).set('x-csrf-token', body.csrf).send(data);
  return { agent, ask };
}
const PATH = '/api/account/second-factor';
/** codes of an app, `steps` half minutes from now */
const appOf = (secret: string) => {
  const totp = new TOTP({ secret: Secret.fromBase32(secret.replace(/ /g, '')), digits: 6, period: 30 });
  return (steps = 0): string => totp.generate({ timestamp: Date.now() + steps * 30_000 });
};
/** As if some minutes had gone by: the code of this half minute was not used. */
const later = () => house.db.query('update second_factors set last_step = last_step - 9');
async function switchOn() {
  const own = await enter();
  const { body } = await own.ask('post', PATH, { password: PASSWORD }).expect(200);
  const codes = appOf(body.secret as string);
  const { body: on } = await own.ask('put', PATH, { code: codes() }).expect(200);
  await later();
  return { ...own, codes, spareCodes: on.spareCodes as string[] };
}

describe('a second factor', () => {
  it('is asked for once a first code came back, and lets in by a code that was not used', async () => {
    const own = await enter();
    const { body } = await own.ask('post', PATH, { password: PASSWORD }).expect(200);
    expect(body.secret).toMatch(/^([A-Z2-7]{4} ){7}[A-Z2-7]{4}$/);
    expect(body.picture).toMatch(/^data:image\/png;base64,/);
    await signIn().expect(200); // not yet: an app that was never set up shuts nobody out
    const codes = appOf(body.secret as string);
    const wrong = await own.ask('put', PATH, { code: codes(5) }).expect(400);
    expect(wrong.body.message).toContain('This code is not right');
    const first = codes();
    await own.ask('put', PATH, { code: first }).expect(200);

    expect((await signIn().expect(401)).body).toMatchObject({ code: 'second-factor', message: expect.stringContaining('six digits') });
    expect((await signIn('000000').expect(401)).body.message).toContain('not right, or was used already');
    await signIn(first).expect(401);
    await later();
    const now = codes();
    await signIn(`${now.slice(0, 3)} ${now.slice(3)}`).expect(200);
    await signIn(now).expect(401); // once
    await later();
    const same = codes();
    const both = await Promise.all([signIn(same), signIn(same)]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 401]);
    await signIn(codes(9)).expect(401);
    // one with a wrong password learns nothing of it
    const nobody = await request(app)
      .post('/api/session')
      .set('x-csrf-token', 'none')
      .send({ email: EMAIL, password: 'wrong', code: codes() });
    expect(nobody.body.code).toBe('wrong-password');
    expect((await own.agent.get(PATH)).body).toEqual({ isOn: true, spareCodes: 8 });
  });

  it('has spare codes for a lost phone, each of them once', async () => {
    const { spareCodes, agent } = await switchOn();
    expect(new Set(spareCodes).size).toBe(8);
    await signIn(spareCodes[0]!.toUpperCase()).expect(200);
    await signIn(spareCodes[0]).expect(401);
    await signIn(spareCodes[1]!.replace('-', ' ')).expect(200);
    expect((await agent.get(PATH)).body).toEqual({ isOn: true, spareCodes: 6 });
    // neither stands in the database
    const kept = JSON.stringify([await rows(house.db, 'select * from spare_codes'), await rows(house.db, 'select * from second_factors')]);
    for (const code of spareCodes) expect(kept).not.toContain(code.replace('-', ''));
  });

  it('is not passed by a link that came by mail, which is not used up by asking', async () => {
    const { codes } = await switchOn();
    const client = await house.db.connect();
    const key = await makeKey(client, sigrid, 'password');
    client.release();
    const open = (body: object) => request(app).post(`/api/session/keys/${key}`).set('x-csrf-token', 'none').send(body);
    expect((await open({ password: 'another long password' }).expect(401)).body.code).toBe('second-factor');
    await open({ password: 'another long password', code: '123456' }).expect(401);
    await signIn(codes()).expect(200); // the password is still the old one
    await later();
    await open({ password: 'another long password', code: codes() }).expect(200);
    await later();
    await signIn(codes()).expect(401);
  });

  it('is switched off by its owner with the password, and by another administrator; both are on the record', async () => {
    const { ask } = await switchOn();
    await ask('post', PATH, { password: PASSWORD }).expect(409); // never another in the place of one that is asked for
    await ask('delete', PATH, { password: 'wrong' }).expect(400);
    await ask('delete', PATH, { password: PASSWORD }).expect(200);
    await ask('delete', PATH, { password: PASSWORD }).expect(409);
    await signIn().expect(200);
    await switchOn();
    const mina = await enter(undefined, 'mina@orlasund.example');
    const list = async (): Promise<boolean[]> => (await mina.agent.get('/api/accounts')).body.accounts.map((row: { hasSecondFactor: boolean }) => row.hasSecondFactor); // prettier-ignore
    expect(await list()).toEqual([false, true]);
    await mina.ask('delete', `/api/accounts/${sigrid}/second-factor`).expect(200);
    expect(await list()).toEqual([false, false]);
    await signIn().expect(200);
    expect(await rows(house.db, 'select by_whom, words from account_events order by id')).toEqual([
      { by_whom: 'Sigrid Aune', words: 'Second factor switched on.' },
      { by_whom: 'Sigrid Aune', words: 'Second factor switched off.' },
      { by_whom: 'Sigrid Aune', words: 'Second factor switched on.' },
      { by_whom: 'Mina', words: 'Second factor switched off.' },
    ]);
  });

  it('shuts nobody out for good: whoever has the machine sets the house up anew, or takes another key', async () => {
    await switchOn();
    const setup = { organisation: 'Orlasund Ferries', zone: 'Europe/Oslo', place: 'Orla Quay', sender: 't@orlasund.example', replyTo: 't@orlasund.example', admin: EMAIL, password: PASSWORD, sites: [{ name: 'Orla Quay', zone: 'Europe/Oslo' }] }; // prettier-ignore
    await setUp(house.db, setup);
    await signIn().expect(200);
    const { codes } = await switchOn();
    const { key } = house.deps.settings;
    house.deps.settings.key = 'another key of the house, of a machine that was lost';
    await signIn(codes()).expect(401); // it cannot be read
    await takeKey(house.db, house.deps.settings.key);
    await signIn().expect(200);
    house.deps.settings.key = key;
    await takeKey(house.db, key);
  });

  it('counts tries: the seventh digit of a thousand is never reached', async () => {
    await switchOn();
    const statuses = new Set<number>();
    for (let turn = 0; turn < 22; turn++) statuses.add((await signIn(String(100_000 + turn))).status);
    expect([...statuses]).toEqual([401, 429]);
  });
});

describe('what is hidden', () => {
  it('is read with the same key for the same purpose, whole, and not otherwise', () => {
    const hidden = hide('a key', 'a purpose', Buffer.from('words'));
    expect(reveal('a key', 'a purpose', hidden)!.toString()).toBe('words');
    expect(hide('a key', 'a purpose', Buffer.from('words')).equals(hidden)).toBe(false);
    const cut = Buffer.from(hidden);
    cut[cut.length - 1]! ^= 1;
    for (const [key, purpose, bytes] of [
      ['another', 'a purpose', hidden],
      ['a key', 'another', hidden],
      ['a key', 'a purpose', cut],
      ['a key', 'a purpose', hidden.subarray(0, 20)],
    ] as const)
      expect(reveal(key, purpose, bytes)).toBeNull();
  });
});
