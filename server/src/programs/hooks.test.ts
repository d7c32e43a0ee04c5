import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Webhook } from 'standardwebhooks';
import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import { HookDraft } from '@nudrik/contract';
import { undoAct } from '../assignments/acts.ts';
import { extend } from '../assignments/change.ts';
import { oneRow, rows } from '../db/db.ts';
import { todayNeeds } from '../reports/needs.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { callAgain, callHooks, callsView, hooksView, makeHook, stopHook, waitAfter, leaveIt } from './hooks.ts';
import { expireCalls, forgetCalls } from './hooks.repo.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let ids: string[];
let server: Server;
let url: string;
let status = 200;
let heard: { headers: Record<string, string>; body: string }[] = [];
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  await house.db.query('update settings set settle_minutes = 0');
  course = await makeCourse(house, crew['tora']!);
  ids = await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-10T16:00:00Z');
  server = createServer((req, res) => {
    let body = '';
    req.on('data', (chunk: Buffer) => (body += chunk.toString()));
    req.on('end', () => {
      heard.push({ headers: req.headers as Record<string, string>, body });
      res.writeHead(status, status === 302 ? { location: `${url}/elsewhere` } : {}).end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(async () => {
  await new Promise((resolve) => server.close(resolve));
  await house.close();
});
beforeEach(async () => {
  heard = [];
  status = 200;
  for (const { id } of (await hooksView(house.deps)).hooks.filter(({ endedAt }) => endedAt === null)) await stopHook(house.deps, id, 'Sigrid Aune'); // prettier-ignore
});
const hook = (what: string[] = ['extended', 'undone'], name = 'Personnel', to = url): Promise<{ id: string; secret: string }> =>
  makeHook(house.deps, HookDraft.parse({ name, url: to, what }), 'Sigrid Aune');
let day = 11;
const move = (): Promise<{ actId: string }> => extend(house.deps, { assignmentIds: [ids[0]!], dueOn: `2027-04-${String(++day)}`, dueTime: '17:00', reason: 'dry dock', told: null } as never, 'Sigrid Aune') as never; // prettier-ignore
const stateOf = async (id: string) => (await hooksView(house.deps)).hooks.find((row) => row.id === id)!;

it('tells what it was asked to tell, once, signed, in the order in which it happened, and what was undone', async () => {
  const { id, secret } = await hook();
  const { actId } = await move();
  await undoAct(house.deps, actId, 'Sigrid Aune');
  await move();
  expect(await callHooks(house.deps)).toBe(3);
  expect(await callHooks(house.deps)).toBe(0);
  const told = heard.map(({ body }) => JSON.parse(body) as Record<string, never>);
  expect(told.map(({ type }) => type)).toEqual(['extended', 'undone', 'extended']);
  expect(told[0]).toMatchObject({ by: 'Sigrid Aune', person: { name: 'Runa Aske', email: 'runa@orlasund.example' }, course: { title: 'Fire Teams Aboard' }, assignment: { id: ids[0], closed: null } }); // prettier-ignore
  expect(told[1]).toMatchObject({ undoes: { type: 'extended', id: (told[0] as unknown as { id: string }).id } });
  for (const { headers, body } of heard) expect(() => new Webhook(secret).verify(body, headers)).not.toThrow();
  expect(() => new Webhook('whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw').verify(heard[0]!.body, heard[0]!.headers)).toThrow();
  expect(await stateOf(id)).toMatchObject({ told: 3, waiting: 0, failed: 0, failingSince: null });
  // the secret stands nowhere as it is
  expect(await rows(house.db, "select 1 from hooks where encode(secret, 'escape') like '%whsec%'")).toEqual([]);
});

it('while it does not answer, one call is tried and the others wait behind it; afterwards they go in their order', async () => {
  const { id } = await hook();
  for (let time = 0; time < 3; time++) await move();
  status = 503;
  await callHooks(house.deps);
  expect(heard).toHaveLength(1);
  expect(await stateOf(id)).toMatchObject({ waiting: 3, failingSince: new Date('2027-03-01T09:30:00.000Z') });
  expect(await callHooks(house.deps)).toBe(0);
  house.clock.at += 60_000;
  await callHooks(house.deps);
  expect(heard).toHaveLength(2);
  expect(heard[0]!.headers['webhook-id']).toBe(heard[1]!.headers['webhook-id']);
  status = 204;
  house.clock.at += 3_600_000;
  while ((await callHooks(house.deps)) > 0);
  expect(heard).toHaveLength(5);
  expect(await stateOf(id)).toMatchObject({ told: 3, waiting: 0, failingSince: null, tryAt: null });
  expect((await callsView(house.deps, id, null)).rows.map(({ attempts, answer }) => [attempts, answer])).toEqual([[1, 'answered 204 No Content'], [1, 'answered 204 No Content'], [3, 'answered 204 No Content']]); // prettier-ignore
});

it('what is refused has failed, and does not hold up the next; it is told again by hand', async () => {
  const { id } = await hook();
  status = 410;
  await move();
  await callHooks(house.deps);
  status = 302;
  await move();
  await callHooks(house.deps);
  // where it leads elsewhere nobody follows
  expect(heard).toHaveLength(2);
  status = 200;
  await move();
  await callHooks(house.deps);
  expect(await stateOf(id)).toMatchObject({ told: 1, failed: 2, failingSince: null });
  const [, second, first] = (await callsView(house.deps, id, null)).rows;
  expect([first!.answer, second!.answer]).toEqual(['answered 410 Gone', 'answered 302 Found']);
  expect(await callAgain(house.deps, id, first!.id)).toEqual({ again: 1 });
  expect(await callAgain(house.deps, id, null)).toEqual({ again: 1 });
  await callHooks(house.deps);
  expect(await stateOf(id)).toMatchObject({ told: 3, failed: 0 });
});

it('what is refused can be left: nobody is asked about it any more, it stands there with who left it, and can be told again', async () => {
  const { id } = await hook();
  status = 410;
  for (const _ of [1, 2]) {
    await move();
    await callHooks(house.deps);
  }
  const asked = async (): Promise<string[]> => (await todayNeeds(house.deps, 'administrator')).flatMap(({ kind, words }) => (kind === 'program' ? [words] : [])); // prettier-ignore
  expect(await asked()).toContainEqual(expect.stringMatching(/did not take 2 calls\.$/));
  const [last, first] = (await callsView(house.deps, id, null)).rows;
  expect(await leaveIt(house.deps, id, first!.id, 'Sigrid Aune')).toEqual({ left: 1 });
  expect(await leaveIt(house.deps, id, first!.id, 'Tora Hauge')).toEqual({ left: 0 });
  expect(await stateOf(id)).toMatchObject({ failed: 1, left: 1 });
  // "tell again" of all is of what nobody left
  status = 200;
  expect(await callAgain(house.deps, id, null)).toEqual({ again: 1 });
  await callHooks(house.deps);
  expect((await callsView(house.deps, id, null)).rows.map((row) => [row.id, row.state, row.leftBy])).toEqual([[last!.id, 'told', null], [first!.id, 'failed', 'Sigrid Aune']]); // prettier-ignore
  expect((await asked()).filter((words) => words.includes('did not take'))).toEqual([]);
  expect(await callAgain(house.deps, id, first!.id)).toEqual({ again: 1 });
  await callHooks(house.deps);
  expect(await stateOf(id)).toMatchObject({ told: 2, failed: 0, left: 0 });
  await expect(leaveIt(house.deps, '987654', null, 'Sigrid Aune')).rejects.toThrow('There is no such address');
});

it('one that nobody answers holds up no other; after three days its calls are given up, and the record says so', async () => {
  const dead = await hook(['extended'], 'Dead', 'http://127.0.0.1:1/told');
  const alive = await hook(['extended'], 'Alive');
  await move();
  await callHooks(house.deps);
  expect(await stateOf(dead.id)).toMatchObject({ waiting: 1, told: 0 });
  expect((await callsView(house.deps, dead.id, null)).rows[0]!.answer).toMatch(/could not be reached: (ECONNREFUSED|bad port)/);
  expect(await stateOf(alive.id)).toMatchObject({ told: 1 });
  house.clock.at += 4 * 86_400_000;
  await expireCalls(house.db, house.clock.at);
  expect(await stateOf(dead.id)).toMatchObject({ waiting: 0, failed: 1 });
  expect((await callsView(house.deps, dead.id, null)).rows[0]!.answer).toMatch(/given up after three days$/);
  await forgetCalls(house.db, house.clock.at + 91 * 86_400_000);
  expect((await callsView(house.deps, dead.id, null)).rows).toEqual([]);
});

it('waits longer with each try, never more than about six hours', () => {
  const waits = Array.from({ length: 40 }, (_, at) => waitAfter(at, 0.5));
  expect(waits[0]).toBe(30_000);
  expect(waits.every((wait, at) => at === 0 || wait >= waits[at - 1]!)).toBe(true);
  expect(waits.at(-1)).toBe(21_600_000);
});

it('an address inside the network, or with a password in it, is refused; ended it is told nothing more', async () => {
  await expect(hook(['finished'], 'x', 'http://10.0.0.7/told')).rejects.toThrow('stands inside the network');
  await expect(hook(['finished'], 'x', 'https://a:b@127.0.0.1/told')).rejects.toThrow('without a name and a password');
  const { id } = await hook();
  await move();
  await stopHook(house.deps, id, 'Sigrid Aune');
  await move();
  expect(await callHooks(house.deps)).toBe(0);
  expect(await stateOf(id)).toMatchObject({ failed: 1, waiting: 0, endedBy: 'Sigrid Aune' });
  expect((await oneRow<{ n: number }>(house.db, 'select count(*)::integer as n from hook_calls where hook_id = $1::bigint', [id])).n).toBe(1); // prettier-ignore
});

it('two workers tell each thing once', async () => {
  const { id } = await hook();
  for (let time = 0; time < 5; time++) await move();
  await Promise.all([1, 2, 3].map(() => callHooks(house.deps)));
  while ((await callHooks(house.deps)) > 0);
  expect(heard).toHaveLength(5);
  expect(await stateOf(id)).toMatchObject({ told: 5 });
});

it('Today tells an administrator, and nobody else, what other programs did not take', async () => {
  const { id } = await hook();
  status = 503;
  await move();
  await callHooks(house.deps);
  const told = (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'program').map(({ words }) => words);
  expect(told).toEqual([expect.stringMatching(/^Personnel does not answer since .*: 1 call waits and is tried again by itself/)]);
  expect((await todayNeeds(house.deps, 'trainer')).filter(({ kind }) => kind === 'program')).toEqual([]);
  await stopHook(house.deps, id, 'Sigrid Aune');
  expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'program')).toEqual([]);
});
