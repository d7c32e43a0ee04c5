import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import { STANDARD_PLAN, type Doc } from '@nudrik/core';
import { LetterRequest } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { previewPlan, publishPlan } from '../plans/publish.ts';
import { todayNeeds } from '../reports/needs.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { letterView } from './letters.ts';
import { checkLinks, gatherLinks, webLinksOf } from './links.ts';

let server: Server;
let base: string;
/** how each path answers */
const answers: Record<string, { status: number; headers?: Record<string, string>; onlyGet?: boolean }> = {};
const asked: string[] = [];
beforeAll(async () => {
  server = createServer((req, res) => {
    asked.push(`${req.method} ${req.url}`);
    const answer = answers[req.url!] ?? { status: 404 };
    res.writeHead(answer.onlyGet && req.method === 'HEAD' ? 405 : answer.status, answer.headers).end();
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => new Promise((closed) => server.close(closed)));

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  asked.length = 0;
});
afterEach(() => house.close());

const leading = (...hrefs: string[]): Doc => ({ type: 'doc', content: hrefs.map((href) => ({ type: 'paragraph', content: [{ type: 'text', text: 'see', marks: [{ type: 'link', attrs: { href } }] }] })) }); // prettier-ignore
const step = (...hrefs: string[]) => ({ ...STANDARD_PLAN[0]!, message: { ...STANDARD_PLAN[0]!.message, body: leading(...hrefs) } });
const states = async () => Object.fromEntries((await rows<{ href: string; state: string }>(house.db, 'select href, state from links')).map(({ href, state }) => [href.replace(base, ''), state])); // prettier-ignore
const look = async (...hrefs: string[]) => letterView(house.deps, course, LetterRequest.parse({ step: step(...hrefs), as: null }));
const troubles = async (...hrefs: string[]) => (await look(...hrefs)).letter!.reader.troubles;

describe('a link of a message', () => {
  test.each<[string, string, (typeof answers)[string], string]>([
    ['that is there', '/a', { status: 200 }, 'ok'],
    ['whose server knows no HEAD', '/b', { status: 200, onlyGet: true }, 'ok'],
    ['that asks for a sign-in', '/c', { status: 401 }, 'ok'],
    ['that is gone', '/d', { status: 410 }, 'dead'],
    ['whose server is ill', '/e', { status: 503 }, 'unreachable'],
    ['that leads on', '/f', { status: 302, headers: { location: '/a' } }, 'ok'],
    ['that leads on to nothing', '/g', { status: 301, headers: { location: '/nothing' } }, 'dead'],
    ['in a circle', '/h', { status: 302, headers: { location: '/h' } }, 'dead'],
    ['that leads inside', '/i', { status: 302, headers: { location: 'http://10.0.0.1/' } }, 'inside'],
    ['to what is no web', '/j', { status: 302, headers: { location: 'file:///etc/passwd' } }, 'dead'],
  ])('%s', async (_, path, answer, state) => {
    answers['/a'] = { status: 200 };
    answers[path] = answer;
    await look(base + path);
    expect(await checkLinks(house.deps)).toBe(1);
    expect((await states())[path]).toBe(state);
    // and not again before it is time
    expect(await checkLinks(house.deps)).toBe(0);
  });

  it('that stands inside is not looked at, nor is the house itself', async () => {
    await look('http://169.254.169.254/latest', 'http://nudrik.example/my-training', 'http://localhost:1/x');
    await checkLinks(house.deps);
    expect(await states()).toEqual({ 'http://169.254.169.254/latest': 'inside', 'http://localhost:1/x': 'inside' });
    expect(webLinksOf([{ body: leading('to:course', 'mailto:a@b.example', 'http://nudrik.example', 'http://nudrik.example.evil/x') }], 'http://nudrik.example')).toEqual(['http://nudrik.example.evil/x']); // prettier-ignore
  });

  it('is told to who writes before it goes, once it was looked at; mended, nothing is told', async () => {
    answers['/gone'] = { status: 404 };
    expect(await troubles(`${base}/gone`)).toEqual([]);
    await checkLinks(house.deps);
    expect(await troubles(`${base}/gone`)).toEqual([`a link leads nowhere: ${base}/gone, it answers “404 Not Found”`]);
    answers['/gone'] = { status: 200 };
    house.clock.at += 7 * 3_600_000;
    await checkLinks(house.deps);
    expect(await troubles(`${base}/gone`)).toEqual([]);
  });

  it('that died later is on Today before its message goes, with how often; switched off it is not', async () => {
    answers['/rules'] = { status: 200 };
    const due = { ...step(`${base}/rules`), id: 'two-days-to-go', anchor: { event: 'due' as const }, offset: { amount: -2, unit: 'days' as const }, name: 'Two days' }; // prettier-ignore
    const publish = (version: number, on: boolean) =>
      publishPlan(house.deps, course, { version, steps: [{ ...due, on }] } as never, 'Sigrid Aune');
    await publish(1, true);
    await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
    await drain(house.deps, house.mailer);
    await gatherLinks(house.deps);
    await checkLinks(house.deps);
    const told = async () =>
      (await todayNeeds(house.deps)).filter(({ label }) => label === 'Link').map(({ words, act }) => [words, act.link]);
    expect(await told()).toEqual([]);
    answers['/rules'] = { status: 404 };
    house.clock.at += 25 * 3_600_000;
    await checkLinks(house.deps);
    expect(await told()).toEqual([[`“Two days” of Fire Teams Aboard: ${base}/rules leads nowhere: it answers “404 Not Found”, since 2 Mar 2027. It goes 2 times in the next 28 days.`, `/plans/${course}?step=two-days-to-go`]]); // prettier-ignore
    await publish(2, false);
    expect(await told()).toEqual([]);
    // nobody leads there any more: it is forgotten
    house.clock.at += 9 * 86_400_000;
    await gatherLinks(house.deps);
    expect(await states()).toEqual({});
  });

  it('that leads nowhere keeps its step from being switched on; one that goes already keeps back nothing else', async () => {
    const due = (on: boolean, ...hrefs: string[]) => ({ ...step(...hrefs), id: 'two-days-to-go', on, anchor: { event: 'due' as const }, offset: { amount: -2, unit: 'days' as const }, name: 'Two days' }); // prettier-ignore
    const draft = (version: number, ...steps: object[]) => ({ version, steps }) as never;
    answers['/form'] = { status: 404 };
    await look(`${base}/form`);
    // as long as nobody looked at it, nothing is known
    await publishPlan(house.deps, course, draft(1, due(false, `${base}/form`)), 'Sigrid Aune');
    await checkLinks(house.deps);
    const words = `“Two days”: a link leads nowhere: ${base}/form, it answers “404 Not Found”.`;
    expect((await previewPlan(house.deps, course, draft(2, due(true, `${base}/form`)))).faults).toEqual([{ step: 'two-days-to-go', message: words }]); // prettier-ignore
    await expect(publishPlan(house.deps, course, draft(2, due(true, `${base}/form`)), 'Sigrid Aune')).rejects.toThrow(`${words} Nothing was published.`); // prettier-ignore
    await publishPlan(house.deps, course, draft(2, due(false, `${base}/form`)), 'Sigrid Aune');
    // it is there, goes, and dies: another step is changed all the same, and the text may not lead to another that is dead
    answers['/form'] = { status: 200 };
    house.clock.at += 7 * 3_600_000;
    await checkLinks(house.deps);
    await publishPlan(house.deps, course, draft(3, due(true, `${base}/form`)), 'Sigrid Aune');
    answers['/form'] = { status: 410 };
    house.clock.at += 25 * 3_600_000;
    await checkLinks(house.deps);
    const [, other] = STANDARD_PLAN;
    await publishPlan(house.deps, course, draft(4, due(true, `${base}/form`), { ...other!, name: 'Renamed' }), 'Sigrid Aune');
    answers['/lost'] = { status: 404 };
    await look(`${base}/lost`);
    await checkLinks(house.deps);
    await expect(publishPlan(house.deps, course, draft(5, due(true, `${base}/form`, `${base}/lost`)), 'Sigrid Aune')).rejects.toThrow(`${base}/lost`); // prettier-ignore
  });

  it('that nobody answers for is told only where others answer: else it is our own network', async () => {
    const silent = 'http://127.0.0.1:1/x';
    await look(silent);
    await checkLinks(house.deps);
    expect(await states()).toEqual({ [silent]: 'unreachable' });
    expect(await troubles(silent)).toEqual([]);
    answers['/a'] = { status: 200 };
    await look(`${base}/a`);
    await checkLinks(house.deps);
    expect(await troubles(silent)).toEqual([`a link cannot be reached: ${silent}, it does not answer`]);
  });

  it('by two workers at once is asked for once', async () => {
    answers['/a'] = { status: 200 };
    await look(`${base}/a`);
    asked.length = 0;
    expect((await Promise.all([checkLinks(house.deps), checkLinks(house.deps)])).sort()).toEqual([0, 1]);
    expect(asked).toEqual(['HEAD /a']);
  });
});
