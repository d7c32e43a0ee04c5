import request from 'supertest';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { openSignInService, type SignInService } from '@nudrik/standins';
import { createApp } from '../app.ts';
import { rows } from '../db/db.ts';
import { findByAddress, listAccounts, setEnded } from './accounts.repo.ts';
import { makeCrew, openTestHouse, type TestHouse } from '../testing.ts';

// Entering by a sign-in service, played by a provider that is certified as one: what a browser does is done by hand here.

let house: TestHouse;
let crew: Record<string, string>;
let service: SignInService;
let app: ReturnType<typeof createApp>;

const PEOPLE = [
  { sub: 'adm', email: 'Sigrid@Orlasund.example', name: 'Sigrid Aune', roles: ['administrator', 'everyone'] },
  { sub: 'odd', email: 'odd@orlasund.example', name: 'Odd Aske', roles: ['everyone'] },
  { sub: 'runa', email: 'runa@orlasund.example', name: 'Runa Aske' },
  { sub: 'runa-again', email: 'runa@orlasund.example', name: 'Another Runa' },
  { sub: 'guest', email: 'guest@elsewhere.example', name: 'A Guest' },
  { sub: 'doubt', email: 'per@orlasund.example', name: 'Per Aske', isVerified: false },
  { sub: 'silent', email: 'kari@orlasund.example', name: 'Kari Aske', isVerified: null },
  { sub: 'audits', email: 'auditor@elsewhere.example', name: 'An Auditor', roles: ['AUDITOR'] },
];

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  service = await openSignInService({
    port: 0,
    redirectUri: `${house.deps.settings.baseUrl}/api/session/elsewhere/back`,
    clientId: 'nudrik',
    clientSecret: 'a secret of the two of them',
    people: PEOPLE,
  });
  house.deps.settings.elsewhere = {
    issuer: service.issuer,
    clientId: 'nudrik',
    clientSecret: 'a secret of the two of them',
    name: 'the Orlasund account',
    roleClaim: 'roles',
    trustsAddresses: false,
  };
  app = createApp(house.deps, null);
}, 60_000);
afterAll(async () => {
  await service.close();
  await house.close();
});
beforeEach(async () => {
  await house.db.query('delete from accounts');
  await house.db.query("insert into accounts (email, name, role) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator')");
});

/** A browser at the service: it keeps cookies, and follows what leads on there. */
class ServiceBrowser {
  private readonly cookies = new Map<string, string>();
  async open(address: string, form?: Record<string, string>): Promise<Response> {
    const response = await fetch(address, {
      redirect: 'manual',
      headers: { cookie: [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; ') },
      ...(form && { method: 'POST', body: new URLSearchParams(form) }),
    });
    for (const line of response.headers.getSetCookie()) {
      const [, name, value] = /^([^=]+)=([^;]*)/.exec(line)!;
      this.cookies.set(name!, value!);
    }
    return response;
  }
}

type Agent = ReturnType<typeof request.agent>;
/** Goes to the service, says who one is, and comes back. @returns where one is led in the end */
async function enterAs(
  sub: string,
  agent: Agent = request.agent(app),
  back = '/ledger?kind=late',
): Promise<{ to: string; agent: Agent; way: string }> {
  const begun = await agent.get('/api/session/elsewhere').query({ back }).expect(303);
  const browser = new ServiceBrowser();
  let at = begun.headers['location'] as string;
  for (let step = 0; step < 10 && at.startsWith(service.issuer); step++) {
    let response = await browser.open(at);
    if (response.status === 200) response = await browser.open(at, { sub });
    at = new URL(response.headers.get('location')!, at).href;
  }
  const way = at.slice(house.deps.settings.baseUrl.length);
  const { headers } = await agent.get(way).expect(303);
  return { to: headers['location'] as string, agent, way };
}
const who = async (agent: Agent): Promise<unknown> => (await agent.get('/api/session').expect(200)).body.account;
const record = (): Promise<unknown[]> => rows(house.db, 'select by_whom, words from account_events order by id');

describe('entering by a sign-in service', () => {
  it('lets in who has an account, as what Nudrik or the service says, to the page that was wanted', async () => {
    const { to, agent } = await enterAs('adm');
    expect(to).toBe('/ledger?kind=late');
    expect(await who(agent)).toMatchObject({ name: 'Sigrid Aune', role: 'administrator' });
    expect((await agent.get('/api/session')).body).toMatchObject({ elsewhere: 'the Orlasund account' });
    expect(await record()).toEqual([]);
    // the next time by the service's name for them, whatever their address is by then
    await house.db.query("update accounts set email = 'aune@orlasund.example'");
    expect(await who((await enterAs('adm')).agent)).toMatchObject({ email: 'aune@orlasund.example' });
  });
  it('lets in who is on the roster; who has people below them is a manager by that', async () => {
    expect(await who((await enterAs('runa')).agent)).toMatchObject({ name: 'Runa Aske', role: 'employee', personId: crew['runa'] });
    expect(await who((await enterAs('odd')).agent)).toMatchObject({ role: 'manager', personId: crew['odd'] });
    expect((await listAccounts(house.db, '2027-03-01')).map(({ name, role, entersAsManager }) => [name, role, entersAsManager])).toEqual([
      ['Sigrid Aune', 'administrator', false],
      ['Odd Aske', 'employee', true],
      ['Runa Aske', 'employee', false],
    ]);
    expect(await record()).toEqual([
      { by_whom: 'Runa Aske', words: 'Came in by the Orlasund account.' },
      { by_whom: 'Odd Aske', words: 'Came in by the Orlasund account.' },
    ]);
  });
  it('gives the role that the service says, and takes it', async () => {
    expect(await who((await enterAs('audits')).agent)).toMatchObject({ role: 'auditor' });
    await house.db.query("update accounts set role = 'trainer' where role = 'auditor'");
    expect(await who((await enterAs('audits')).agent)).toMatchObject({ role: 'auditor' });
    expect(await record()).toContainEqual({ by_whom: 'the Orlasund account', words: 'Role changed from trainer to auditor.' });
  });
  it.each<[string, string, string]>([
    ['nobody knows here', 'guest', 'no-account'],
    ['whose address was never checked', 'doubt', 'no-address'],
    ['nobody says anything of', 'silent', 'no-address'],
    ['turned back there', '', 'broken-off'],
  ])('turns away whom %s', async (_, sub, why) => {
    const { to, agent } = await enterAs(sub);
    expect(to).toBe(`/sign-in?elsewhere=${why}`);
    expect(await who(agent)).toBeNull();
  });
  it('lets in whom nobody says anything of where the house trusts the service with addresses', async () => {
    house.deps.settings.elsewhere!.trustsAddresses = true;
    expect(await who((await enterAs('silent')).agent)).toMatchObject({ name: 'Kari Aske' });
    expect((await enterAs('doubt')).to).toBe('/sign-in?elsewhere=no-address');
    house.deps.settings.elsewhere!.trustsAddresses = false;
  });
  it('turns away another person who got the address of one that is known, and an account that has ended', async () => {
    await enterAs('runa');
    expect((await enterAs('runa-again')).to).toBe('/sign-in?elsewhere=other-person');
    const client = await house.db.connect();
    const { id } = (await findByAddress(client, 'runa@orlasund.example'))!;
    await setEnded(client, id, true);
    expect((await enterAs('runa-again')).to).toBe('/sign-in?elsewhere=ended');
    await setEnded(client, id, false); // invited again: whoever has the address now
    expect((await enterAs('runa-again')).to).toBe('/ledger?kind=late');
    expect((await enterAs('runa')).to).toBe('/sign-in?elsewhere=other-person');
    await setEnded(client, id, true);
    client.release();
    expect((await enterAs('runa')).to).toBe('/sign-in?elsewhere=ended');
    await house.db.query('delete from accounts');
    await house.db.query("update people set left_on = '2027-03-01' where id = $1::bigint", [crew['runa']]);
    expect((await enterAs('runa')).to).toBe('/sign-in?elsewhere=no-account');
    await house.db.query('update people set left_on = null where id = $1::bigint', [crew['runa']]);
  });
  it('opens for the browser that began it, once', async () => {
    const { way, agent } = await enterAs('adm');
    // what came back is worth nothing in another browser, nor again in this one, nor with another end
    for (const other of [request.agent(app), agent]) {
      const { headers } = await other.get(way).expect(303);
      expect(headers['location']).toBe('/sign-in?elsewhere=broken-off');
    }
    const begun = request.agent(app);
    await begun.get('/api/session/elsewhere').expect(303);
    for (const foreign of [way, '/api/session/elsewhere/back', '/api/session/elsewhere/back?code=x&state=y'])
      expect((await begun.get(foreign).expect(303)).headers['location']).toBe('/sign-in?elsewhere=broken-off');
    expect(await who(begun)).toBeNull();
    expect(await who(request.agent(app))).toBeNull();
  });
  it.each(['//elsewhere.example', 'https://elsewhere.example', '/\\elsewhere.example', ''])('never leads on to %j', async (back) => {
    await request(app).get('/api/session/elsewhere').query({ back }).expect(400);
  });
  it('says so where the service does not answer, or there is none', async () => {
    const { elsewhere } = house.deps.settings;
    house.deps.settings.elsewhere = { ...elsewhere!, issuer: 'http://127.0.0.1:1' };
    expect((await request(app).get('/api/session/elsewhere').expect(303)).headers['location']).toBe('/sign-in?elsewhere=away');
    house.deps.settings.elsewhere = null;
    await request(app).get('/api/session/elsewhere').expect(404);
    await request(app).get('/api/session/elsewhere/back').expect(404);
    house.deps.settings.elsewhere = elsewhere;
  });
});
