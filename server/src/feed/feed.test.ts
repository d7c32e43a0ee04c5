import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { afterAll, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import { Zone } from '@nudrik/core';
import type { FeedPerson, PersonChange } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { addPerson, changePerson } from '../people/change.ts';
import { changeFeed, decidePull, feedView, nextTime, previewPull, pullIfDue, pullNow } from './feed.ts';
import { todayNeeds } from '../reports/needs.ts';
import { listRoster } from '../people/people.repo.ts';
import { listImports, undoImport } from '../people/undo-import.ts';

const person = (name: string, rest: Partial<FeedPerson> = {}): FeedPerson => ({
  number: name, name: `${name} Aske`, email: `${name.toLowerCase()}@orlasund.example`, department: 'Deck', site: 'Orla Quay', job: 'Deckhand', language: null, chatName: null, manager: null, joinedOn: null, leftOn: null, ...rest,
}); // prettier-ignore
const CREW = [
  person('Kari', { site: 'Tarn Ness' }),
  person('Odd', { manager: 'Kari' }),
  person('Runa', { manager: 'Odd' }),
  person('Per', { manager: 'Odd' }),
  person('Tora', { department: 'Office' }),
];

let house: TestHouse;
let server: Server;
let people: FeedPerson[];
let asked: { url: string; tag: string | undefined; date: string | undefined }[];
let answer: (req: IncomingMessage, res: ServerResponse) => void;
/** Two people a page, whatever is asked for. */
const serve = (req: IncomingMessage, res: ServerResponse): void => {
  const page = Number(new URL(req.url!, 'http://x').searchParams.get('page'));
  const etag = `"${people.map((p) => JSON.stringify(p)).join('').length}-${people.length}"`; // prettier-ignore
  if (req.headers['if-none-match'] === etag) return void res.writeHead(304).end();
  const pages = Math.ceil(people.length / 2);
  res.writeHead(200, { etag, 'content-type': 'application/json' });
  res.end(JSON.stringify({ page, pages, total: people.length, people: people.slice((page - 1) * 2, page * 2) }));
};

beforeAll(async () => {
  server = createServer((req, res) => {
    asked.push({ url: req.url!, tag: req.headers['if-none-match'], date: req.headers.date });
    answer(req, res);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
});
afterAll(async () => {
  await house.close();
  server.closeAllConnections();
  await new Promise((closed) => server.close(closed));
});
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse('2027-03-01T03:00:00Z');
  await makeCrew(house);
  people = structuredClone(CREW);
  answer = serve;
  asked = [];
  await changeFeed(house.deps, { url: address(), isOn: true, times: ['06:00'], changeShare: 50 }, 'Sigrid Aune');
});
const address = (): string => `http://127.0.0.1:${(server.address() as { port: number }).port}/people`;
const pull = () => pullNow(house.deps, 'Sigrid Aune');
/** A first pull gives everyone a number; later ones change nothing. */
const settle = async (): Promise<void> => {
  await changeFeed(house.deps, { url: address(), isOn: true, times: ['06:00'], changeShare: 100 }, 'Sigrid Aune');
  await pull();
  await changeFeed(house.deps, { url: address(), isOn: true, times: ['06:00'], changeShare: 50 }, 'Sigrid Aune');
  asked = [];
};
const find = async (name: string) => (await listRoster(house.db)).find((row) => row.name.startsWith(name));

describe('pulling', () => {
  it('reads all pages under the date of the clock, and asks next time only for what is new', async () => {
    await settle();
    people[2]!.department = 'Engine';
    expect(await pull()).toMatchObject({ outcome: 'taken', words: '1 changed.' });
    expect(asked.map(({ url }) => url)).toEqual(['/people?page=1&size=200', '/people?page=2&size=200', '/people?page=3&size=200']);
    expect(asked[0]).toMatchObject({ date: 'Mon, 01 Mar 2027 03:00:00 GMT', tag: expect.stringMatching(/"/) });
    expect(await pull()).toMatchObject({ outcome: 'unchanged', words: 'Nothing is new since the last pull.' });
    expect(await find('Runa')).toMatchObject({ department: 'Engine', managerEmail: 'odd@orlasund.example' });
  });
  it('joiners, movers, leavers, a manager and a wrong row in one, listed as an import that can be undone', async () => {
    await settle();
    people = [
      person('Kari', { site: 'Tarn Ness' }), person('Odd', { manager: 'Tora' }), person('Runa', { manager: 'Kari', job: null }),
      person('Tora', { department: 'Office' }), person('Nils', { joinedOn: '2027-03-08', manager: 'Odd' }), person('Wrong', { site: 'Atlantis' }),
    ]; // prettier-ignore
    await changeFeed(house.deps, { url: address(), isOn: true, times: ['06:00'], changeShare: 100 }, 'Sigrid Aune');
    const done = await pull();
    expect(done).toMatchObject({ outcome: 'taken', words: '1 added, 2 changed and 1 left. One row was refused.' });
    expect(done.rejected).toMatchObject([{ column: 'site', reason: expect.stringContaining('Atlantis') }]);
    expect(await find('Per')).toMatchObject({ leftOn: '2027-03-01' });
    expect(await find('Runa')).toMatchObject({ job: null, managerEmail: 'kari@orlasund.example' });
    const [listed] = await listImports(house.db);
    expect(listed).toMatchObject({ source: 'feed', fileName: 'Personnel feed, Mon 1 Mar 04:00', hasFile: false });
    await undoImport(house.deps, listed!.id, 'Sigrid Aune');
    expect([(await find('Per'))!.leftOn, await find('Nils'), (await find('Runa'))!.job]).toEqual([null, undefined, 'Deckhand']);
  });
  it('a refused row is refused and told again until it is right, and taken then without the feed changing', async () => {
    await settle();
    people[2] = person('Runa', { manager: 'Odd', site: 'Atlantis' });
    expect(await pull()).toMatchObject({
      outcome: 'unchanged',
      rejected: [{ column: 'site', reason: expect.stringMatching(/no site "Atlantis".* It is the row of Runa Aske, Runa\.$/) }],
    });
    const needs = async () => (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'roster').map(({ label }) => label);
    expect(await needs()).toEqual(['Row refused']);
    expect(await pull()).toMatchObject({ outcome: 'unchanged', rejected: [{ column: 'site' }] });
    await house.db.query("insert into sites (name, zone) values ('Atlantis', 'Europe/Oslo')");
    expect(await pull()).toMatchObject({ outcome: 'taken', words: '1 changed.', rejected: [] });
    expect(await find('Runa')).toMatchObject({ site: 'Atlantis' });
    expect(await needs()).toEqual([]);
    expect(await pull()).toMatchObject({ outcome: 'unchanged', words: 'Nothing is new since the last pull.' });
  });
  it('who is back is known by the number', async () => {
    await settle();
    people = people.filter(({ name }) => !name.startsWith('Per'));
    await pull();
    people.push(person('Per', { email: 'per.vold@orlasund.example', manager: 'Odd' }));
    expect(await pull()).toMatchObject({ words: '1 returned.' });
    expect(await find('Per')).toMatchObject({ email: 'per.vold@orlasund.example', leftOn: null });
  });
});

describe('a pull that would change too much', () => {
  const half = async (): Promise<string> => {
    await settle();
    people = people.slice(0, 2);
    const held = await pull();
    expect(held).toMatchObject({ outcome: 'held', words: 'Held: 3 left, which is 60 % of the roster; more than 50 % waits for a person.' });
    expect(await find('Tora')).toMatchObject({ leftOn: null });
    return held.id;
  };
  it('waits, shows what it would change, and is taken when somebody says so', async () => {
    const id = await half();
    expect((await previewPull(house.deps, id)).left.map((row) => row.person.name).sort()).toEqual(['Per Aske', 'Runa Aske', 'Tora Aske']);
    await decidePull(house.deps, id, true, 'Sigrid Aune');
    expect(await find('Tora')).toMatchObject({ leftOn: '2027-03-01' });
    await expect(decidePull(house.deps, id, false, 'Sigrid Aune')).rejects.toThrow('no longer waits for anybody');
  });
  it('is declined, or overtaken by the next', async () => {
    const id = await half();
    await decidePull(house.deps, id, false, 'Sigrid Aune');
    expect((await feedView(house.deps)).pulls[0]).toMatchObject({ outcome: 'declined', decidedBy: 'Sigrid Aune' });
    people = structuredClone(CREW).slice(1);
    people[0]!.manager = null;
    const later = await pull();
    expect(later.outcome).toBe('taken');
    expect((await feedView(house.deps)).pulls.map(({ outcome }) => outcome).slice(0, 2)).toEqual(['taken', 'declined']);
  });
  it('a held one gives way to a later pull', async () => {
    const id = await half();
    people = structuredClone(CREW);
    people[2]!.job = 'Cook';
    await pull();
    await expect(decidePull(house.deps, id, true, 'Sigrid Aune')).rejects.toThrow('a later one took its place');
  });
});

describe('a feed that misbehaves changes nothing, is on the record, and is asked again', () => {
  const text = (body: string) => (_req: IncomingMessage, res: ServerResponse) => void res.writeHead(200).end(body);
  test.each<[string, (req: IncomingMessage, res: ServerResponse) => void, RegExp]>([
    ['down', (_req, res) => void res.writeHead(503).end('no'), /answered 503 Service Unavailable/],
    ['slow', () => undefined, /did not answer within 0\.3 seconds/],
    ['slow in the middle of a page', (_req, res) => void res.writeHead(200).write('{"page":1'), /Page 1 did not come to its end in time/],
    ['cut off in the middle of a page', (req, res) => (req.url!.includes('page=2') ? void res.writeHead(200, { 'etag': '"28"', 'content-length': 500 }).write('{"page":2', () => res.destroy()) : serve(req, res)), /Page 2 was cut off before its end/],
    ['not JSON', text('<html>'), /Page 1 is not JSON; it begins with “<html>”/],
    ['JSON of another shape', text('{"page":1,"pages":1,"total":1,"people":[{"number":7}]}'), /Page 1 is not as expected: people\[0\]\.number: expected string; got 7/],
    ['short of people', text('{"page":1,"pages":1,"total":2,"people":[]}'), /announced 2 people and handed out 0/],
    ['empty', text('{"page":1,"pages":0,"total":0,"people":[]}'), /handed out nobody/],
    ['another page than asked for', text('{"page":3,"pages":3,"total":2,"people":[]}'), /Page 1 was asked for and page 3 came/],
    ['gone', (req) => void req.socket.destroy(), /cannot be reached/],
    ['led on to another place', (_req, res) => void res.writeHead(302, { location: 'http://10.0.0.1/' }).end(), /leads on to http:\/\/10\.0\.0\.1\//],
    ['a page without end', (_req, res) => { res.writeHead(200); const more = (): void => void (res.destroyed || res.write(' '.repeat(4_000_000), more)); more(); }, /Page 1 is longer than 20 MB|did not come to its end in time/],
  ])('%s', async (_, behaviour, words) => {
    house.deps.settings.feedTimeoutMs = 300;
    const before = await listRoster(house.db);
    answer = behaviour;
    const failed = await pull();
    expect([failed.outcome, failed.words]).toEqual(['failed', expect.stringMatching(words)]);
    expect(await listRoster(house.db)).toEqual(before);
    const { nextAt, lastOkAt } = await feedView(house.deps);
    expect([nextAt, lastOkAt]).toEqual(['2027-03-01T03:30:00.000Z', null]);
  }); // prettier-ignore
  it('is not asked inside the network that we stand in, unless it is listed', async () => {
    house.deps.settings.feedHosts = [];
    for (const url of ['http://127.0.0.1:1/x', 'http://[::1]/', 'http://10.1.2.3/', 'http://169.254.169.254/latest', 'http://[::ffff:10.0.0.1]/', 'http://localhost/']) {
      await changeFeed(house.deps, { url, isOn: true, times: ['06:00'], changeShare: 50 }, 'Sigrid Aune');
      expect((await pull()).words).toContain('is an address inside');
    }
    expect(asked).toEqual([]);
  }); // prettier-ignore
  it('with a NUL or a name of four thousand parts has that row refused and the others taken, and nobody leaves by it', async () => {
    await changeFeed(house.deps, { url: address(), isOn: true, times: ['06:00'], changeShare: 100 }, 'Sigrid Aune');
    await pull();
    people.push(person('Nils'), person('Ola', { name: 'Ola '.repeat(4_000) }), person('Ylva', { job: 'Deck\u0000hand' }));
    people.splice(3, 1, person('Per', { number: 'P\u0000er' }));
    const found = await pull();
    expect(found.outcome).toBe('taken');
    expect(found.rejected.map(({ column }) => column)).toEqual(expect.arrayContaining(['name', 'job', 'personnel number']));
    const roster = await listRoster(house.db);
    expect(roster.find(({ name }) => name === 'Nils Aske')).toBeDefined();
    expect(roster.find(({ name }) => name === 'Per Aske')!.leftOn).toBeNull();
  });
  it('that was cut off with its worker is taken up again, and no other time is set before', async () => {
    house.clock.at = Date.parse('2027-03-01T05:00:00Z');
    answer = () => undefined;
    house.deps.settings.feedTimeoutMs = 60_000;
    void pullIfDue(house.deps).catch(() => undefined); // the worker dies here
    await expect.poll(() => asked.length).toBe(1);
    answer = serve;
    expect(await pullIfDue(house.deps)).toBe(false);
    await house.db.query("update feed set pulling_until = now() - interval '1 second'");
    expect(await pullIfDue(house.deps)).toBe(true);
    expect((await feedView(house.deps)).nextAt).toBe('2027-03-02T05:00:00.000Z');
    server.closeAllConnections();
  });
  it('a roster that changes while it is read is not half taken', async () => {
    answer = (req, res) => {
      if (req.url!.includes('page=2')) people[0]!.name = 'Kari Nes-Aske';
      serve(req, res);
    };
    expect((await pull()).words).toContain('The roster changed while it was read (page 2 of 3)');
  });
});

describe('the schedule', () => {
  const oslo = Zone.of('Europe/Oslo');
  test.each([
    ['later today', '2027-03-01T03:00:00Z', ['06:00'], '2027-03-01T05:00:00.000Z'],
    ['not at this very moment', '2027-03-01T05:00:00Z', ['06:00'], '2027-03-02T05:00:00.000Z'],
    ['the first of several', '2027-03-01T06:00:00Z', ['06:00', '18:00'], '2027-03-01T17:00:00.000Z'],
    ['over the clock change', '2027-03-27T12:00:00Z', ['06:00'], '2027-03-28T04:00:00.000Z'],
  ])('%s', (_, after, times, expected) => expect(new Date(nextTime(times, oslo, Date.parse(after))).toISOString()).toBe(expected));
  it('pulls when a pull is due, once however many workers ask', async () => {
    expect(await pullIfDue(house.deps)).toBe(false);
    house.clock.at = Date.parse('2027-03-01T05:00:00Z');
    const pulled = await Promise.all([1, 2, 3].map(() => pullIfDue(house.deps)));
    expect(pulled.filter(Boolean)).toHaveLength(1);
    expect((await feedView(house.deps)).nextAt).toBe('2027-03-02T05:00:00.000Z');
  });
  it('does not, where it is switched off', async () => {
    await changeFeed(house.deps, { url: address(), isOn: false, times: ['06:00'], changeShare: 5 }, 'Sigrid Aune');
    house.clock.at = Date.parse('2027-03-05T05:00:00Z');
    expect(await pullIfDue(house.deps)).toBe(false);
    expect(await rows(house.db, 'select 1 from pulls')).toEqual([]);
  });
});

describe('the feed and those who correct by hand', () => {
  const change = async (name: string, rest: PersonChange) => changePerson(house.deps, (await find(name))!.id, rest, 'Sigrid Aune');
  it('a correction stays until the feed itself says something new of that field', async () => {
    await settle();
    await change('Runa', { job: 'Boatswain', managerId: null });
    people[2]!.department = 'Engine';
    expect(await pull()).toMatchObject({ words: '1 changed.' });
    expect(await find('Runa')).toMatchObject({ department: 'Engine', job: 'Boatswain', managerEmail: null });
    people[2]!.job = 'Mate';
    await pull();
    expect(await find('Runa')).toMatchObject({ job: 'Mate', managerEmail: null });
  });
  it('who was added by hand does not leave by being missing from it, and is named', async () => {
    await settle();
    await addPerson(house.deps, { name: 'Nils Tarvik', email: 'nils@orlasund.example', department: 'Deck', siteId: '1' }, 'Sigrid Aune');
    people[2]!.job = 'Mate';
    expect(await pull()).toMatchObject({ words: '1 changed.' });
    expect((await feedView(house.deps)).strangers.map(({ name }) => name)).toEqual(['Nils Tarvik']);
  });
});
