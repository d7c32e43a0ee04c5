import { request as send, Agent, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { z } from 'zod';
import { ROLES, type Role } from '@nudrik/contract';
import { createApp, ROUTES } from './app.ts';
import { rows } from './db/db.ts';
import { openSession } from './access/sessions.ts';
import { onParse, type Route } from './route.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from './testing.ts';
import { drain } from './worker.ts';

// Generated requests, as every role: whatever is sent, the answer is a sentence and never a 5xx, and mail goes on at the end.
// `npm run fuzz` sends 100,000 as each role; here a few hundred. FUZZ_SEED repeats a run.

const REQUESTS = Number(process.env['NUDRIK_FUZZ_REQUESTS'] ?? 400);
const SEED = Number(process.env['FUZZ_SEED'] ?? 20_270_301);

let house: TestHouse;
let server: Server;
let crew: Record<string, string>;
let course: string;
const ids: string[] = [];
const sessions: Partial<Record<Role, { token: string; csrf: string }>> = {};
const agent = new Agent({ keepAlive: true, maxSockets: 8 });

beforeAll(async () => {
  house = await openTestHouse();
  Object.assign(house.deps.settings, { smtpUrl: 'smtp://127.0.0.1:1', feedTimeoutMs: 200 });
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
  await house.db.query("insert into groups (name) values ('Fire team')");
  const people: Partial<Record<Role, string>> = { trainer: crew['tora']!, manager: crew['odd']!, employee: crew['runa']! };
  for (const role of ROLES) {
    const [row] = await rows<{ id: string }>(
      house.db,
      'insert into accounts (email, name, role, person_id) values ($1::text, $2::text, $3::text, $4::bigint) returning id',
      [`${role}@orlasund.example`, `The ${role}`, role, people[role] ?? null],
    );
    sessions[role] = await openSession(house.db, row!.id, 24, { agent: '', address: '', now: house.clock.at });
  }
  for (const table of ['people', 'courses', 'assignments', 'sites', 'departments', 'groups', 'notices', 'accounts'])
    ids.push(...(await rows<{ id: string }>(house.db, `select id from ${table} limit 8`)).map(({ id }) => id));
  server = createApp(house.deps, null).listen(0, '127.0.0.1');
  await new Promise((ready) => server.once('listening', ready));
});
afterAll(async () => {
  onParse.seen = null;
  agent.destroy();
  server.closeAllConnections();
  await new Promise((closed) => server.close(closed));
  await house.close();
});

const LET_IN = `
update accounts
set ended_at = null, role = split_part(email, '@', 1)
where email = $1::text
returning id
`;

/** What was asked may have ended the account or its session, or changed its role: it goes on as who it was. */
async function letIn(role: Role): Promise<void> {
  const [row] = await rows<{ id: string }>(house.db, LET_IN, [`${role}@orlasund.example`]);
  sessions[role] = await openSession(house.db, row!.id, 24, { agent: '', address: '', now: house.clock.at });
}

/** A small generator with a seed (mulberry32). */
function dice(seed: number) {
  let state = seed >>> 0;
  const next = (): number => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), state | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
  const to = (n: number): number => Math.floor(next() * n);
  return { to, of: <T>(list: readonly T[]): T => list[to(list.length)]!, chance: (share: number): boolean => next() < share };
}
type Dice = ReturnType<typeof dice>;

const NASTY: readonly unknown[] = [
  null, '', ' ', '0', '-1', '9223372036854775808', '99999999999999999999', 'null', 'undefined', '\u0000', 'a\u0000b', '\ud800', 'x\udc00', '\u202e', '\n',
  'é'.normalize('NFD'), '0000-01-01', '0000-00-00', '9999-12-31', '2027-02-30', '1969-12-31', '2200-01-01', '-271821-04-20', '2027-03-01T24:00:00Z',
  '24:00', '99:99', '%', '%00', "'; drop table people; --", '<script>', '../../etc/passwd', '{{{', '{person', '=1+1', 0, -1, 1.5, 1e308, -1e308, 2 ** 53, 1e21, NaN, true,
  false, [], {}, [[]], [null], { a: { b: {} } }, '𝔘'.repeat(50), 'x'.repeat(70_000), { __proto__: 1 }, { constructor: 1 }, { toString: null }, 'Infinity', '1e5', '0x10',
]; // prettier-ignore

function anything(d: Dice, depth = 0): unknown {
  if (depth < 3 && d.chance(0.15)) return Array.from({ length: d.to(4) }, () => anything(d, depth + 1));
  if (depth < 3 && d.chance(0.15))
    return Object.fromEntries(Array.from({ length: d.to(4) }, (_, i) => [d.of(['id', 'name', 'x', 'all']) + i, anything(d, depth + 1)]));
  return d.of(NASTY);
}
function condition(d: Dice, depth = 0): unknown {
  if (depth > 60 || d.chance(0.5))
    return d.of([
      { department: [d.of(ids)], below: true }, { state: ['open'] }, { site: ['Orla Quay'] }, { job: ['Deckhand'] }, { person: [d.of(ids)] }, { group: [d.of(ids)] },
      { joined: { after: '2027-01-01' } }, { department: [], below: true }, { nonsense: 1 }, {}, null, { all: 'x' },
    ]); // prettier-ignore
  return d.chance(0.3)
    ? { not: condition(d, depth + 1) }
    : { [d.of(['all', 'any'])]: Array.from({ length: d.to(3) }, () => condition(d, depth + 1)) };
}

interface Shape {
  $ref?: string;
  $defs?: Record<string, Shape>;
  type?: string;
  properties?: Record<string, Shape>;
  items?: Shape;
  enum?: unknown[];
  const?: unknown;
  anyOf?: Shape[];
  oneOf?: Shape[];
  allOf?: Shape[];
  format?: string;
  pattern?: string;
  minimum?: number;
  maximum?: number;
  maxLength?: number;
  default?: unknown;
}

// one long list a request: lists of lists of lists would take longer to make than to refuse
let mayBeWide = true;
function isWide(d: Dice): boolean {
  if (!mayBeWide || !d.chance(0.02)) return false;
  mayBeWide = false;
  return true;
}

/** Shapes that schemas know by a name. */
const NAMED: Record<string, Shape> = {};

/** A value that the schema lets in, mostly; here and there something else stands in its place. */
function valueFor(shape: Shape, d: Dice, name = '', depth = 0): unknown {
  if (d.chance(0.06)) return anything(d);
  if (depth > 8) return null;
  if (shape.$ref) return valueFor(NAMED[shape.$ref.split('/').at(-1)!] ?? {}, d, name, depth);
  if (/^(audience|onlyIf|stopWhen)$/.test(name)) return condition(d);
  if (shape.const !== undefined) return shape.const;
  if (shape.enum) return d.of(shape.enum);
  const choices = shape.anyOf ?? shape.oneOf;
  if (choices) return valueFor(d.of(choices), d, name, depth + 1);
  if (shape.allOf) return valueFor(shape.allOf[0]!, d, name, depth + 1);
  switch (shape.type) {
    case 'object':
      return Object.fromEntries(
        Object.entries(shape.properties ?? {}).flatMap(([key, of]) => (d.chance(0.04) ? [] : [[key, valueFor(of, d, key, depth + 1)]])),
      );
    case 'array':
      return Array.from({ length: isWide(d) ? 2_100 : d.to(4) }, () => valueFor(shape.items ?? {}, d, name, depth + 1));
    case 'integer':
    case 'number':
      return d.of([shape.minimum ?? 0, shape.maximum ?? 10, d.to(30), 1]);
    case 'boolean':
      return d.chance(0.5);
    case 'null':
      return null;
    case 'string':
      if (/\[1-9\]/.test(shape.pattern ?? '')) return d.of(ids);
      if (/\[01\]/.test(shape.pattern ?? '')) return d.of(['00:00', '09:00', '23:59']);
      if (shape.format === 'date') return d.of(['2027-03-19', '1970-01-01', '2199-12-31', '2027-06-01']);
      if (shape.format === 'date-time') return d.of(['2027-03-19T09:00:00Z', '2199-12-31T23:59:59Z']);
      if (shape.format === 'email') return d.of(['runa@orlasund.example', 'nobody@orlasund.example']);
      if (shape.format === 'uri') return 'http://127.0.0.1:9/people';
      return d.of(['Europe/Oslo', 'Orla Quay', 'Deck', 'Runa', 'x', 'Name,E-mail\nRuna,runa@orlasund.example\n', 'y'.repeat(Math.min(shape.maxLength ?? 50, 5_000))]); // prettier-ignore
    default:
      return d.chance(0.5) ? condition(d) : anything(d);
  }
}

/** The schemas that each route parses by, found by watching it parse. */
const shapesOf = new Map<Route, Shape[]>();
const known = new Map<z.ZodType, Shape>();
function learn(route: Route, schema: z.ZodType): void {
  let shape = known.get(schema);
  if (!shape) known.set(schema, (shape = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any', cycles: 'ref' }) as Shape));
  Object.assign(NAMED, shape.$defs);
  const shapes = shapesOf.get(route) ?? [];
  if (!shapes.includes(shape)) shapesOf.set(route, [...shapes, shape]);
}

const TYPES = ['application/json', 'application/json; charset=utf-8', 'application/json; charset=utf-99', 'text/plain', 'application/x-www-form-urlencoded', 'multipart/form-data', 'text/calendar', '', 'application/json; charset="'] as const; // prettier-ignore
const ENCODINGS = ['gzip', 'br', 'deflate', 'identity', 'nonsense'] as const;
const RAW = ['{', '[1,', '"\\ud800"', '{"a":1e999}', '\u0000', '{"__proto__":{"x":1}}', '['.repeat(20_000), '{"a":'.repeat(9_000), 'null', '1', '"x"', '', `[${'0,'.repeat(200_000)}0]`]; // prettier-ignore

interface Sent {
  method: string;
  path: string;
  headers: Record<string, string>;
  body: string | Buffer | null;
}

function requestFor(route: Route, role: Role, d: Dice): Sent {
  mayBeWide = true;
  const { token, csrf } = sessions[role]!;
  const shapes = (shapesOf.get(route) ?? []).filter((shape) => shape.type === 'object' || shape.properties || shape.anyOf);
  const path = route.path.replace(/:(\w+)/g, () =>
    d.chance(0.8)
      ? d.of(ids)
      : encodeURIComponent(String(d.of(['x', '0', '99999999999999999999', '\u0000', '../..', 'é', '1'.repeat(300)]))),
  );
  const value = shapes.length > 0 && d.chance(0.9) ? valueFor(d.of(shapes), d) : anything(d);
  const headers: Record<string, string> = { cookie: `nudrik_session=${token}`, 'x-csrf-token': csrf, 'content-type': 'application/json' };
  const text = JSON.stringify(value) ?? '';
  if (route.method === 'get' || d.chance(0.05)) {
    const query = Object.entries((value ?? {}) as object)
      .map(
        ([key, one]) =>
          `${encodeURIComponent(key)}=${encodeURIComponent(typeof one === 'string' ? one.replace(/\p{Surrogate}/gu, '?').slice(0, 3_000) : JSON.stringify(one))}`,
      )
      .slice(0, 12)
      .join('&');
    const bad = d.chance(0.04) ? d.of(['%', '%zz=1', 'find=%c3%28', 'a=%ff', 'page=%00']) : query.slice(0, 7_000);
    return { method: 'GET', path: `${d.chance(0.02) ? `${path}%` : path}?${bad}`, headers, body: null };
  }
  let body: string | Buffer = text;
  if (d.chance(0.06)) body = d.of(RAW);
  if (d.chance(0.05)) headers['content-type'] = d.of(TYPES);
  if (d.chance(0.04)) headers['content-encoding'] = d.of(ENCODINGS);
  if (d.chance(0.03)) body = Buffer.from(Array.from({ length: 60 }, () => d.to(256)));
  if (d.chance(0.02)) headers['cookie'] = d.of(['nudrik_session=%', 'nudrik_session', '=;=', `nudrik_session=${'x'.repeat(3_000)}`]);
  const order = route.path.includes('imports') && d.chance(0.8) ? `?order=${encodeURIComponent(JSON.stringify(valueFor(shapes[0] ?? {}, d)).slice(0, 5_000))}` : ''; // prettier-ignore
  return { method: route.method.toUpperCase(), path: path + order, headers, body };
}

const ask = (sent: Sent, isAgain = false): Promise<{ status: number; text: string }> =>
  new Promise((resolve, reject) => {
    const { method, path, headers, body } = sent;
    const { port } = server.address() as AddressInfo;
    const length = body === null ? {} : { 'content-length': String(Buffer.byteLength(body)) };
    const call = send(
      { port, host: '127.0.0.1', method, path, headers: { ...headers, ...length }, agent, insecureHTTPParser: false },
      (answer) => {
        let text = '';
        answer.setEncoding('utf8');
        answer.on('data', (chunk: string) => (text += text.length < 2_000 ? chunk : ''));
        answer.on('end', () => resolve({ status: answer.statusCode!, text }));
        answer.on('error', reject);
      },
    );
    // a connection that waited may be closed in the moment in which it is used again (RFC 9112, 9.3.1): asked once more, on a new one
    call.on('error', (error) => (call.reusedSocket && !isAgain ? resolve(ask(sent, true)) : reject(error)));
    if (body !== null) call.write(body);
    call.end();
  });

/** Routes that would end what the run stands on: the session it is signed in with. */
const ENDS_THE_RUN = ['/api/session', '/api/session/demo'];
const targets = ROUTES.filter(({ path, method }) => !(ENDS_THE_RUN.includes(path) && method !== 'get'));

it.each(ROLES.map((role, index) => [role, index] as const))(
  'generated requests as %s get no 5xx',
  { timeout: 3_600_000 },
  async (role, index) => {
    const d = dice(SEED + index);
    const failures: string[] = [];
    const counts: Record<number, number> = {};
    // each route once with nothing, to learn what it parses
    for (const route of targets) {
      onParse.seen = (schema) => learn(route, schema);
      for (const method of ['first', 'second'])
        await ask({ ...requestFor(route, 'administrator', d), body: method === 'first' || route.method === 'get' ? null : '{}' }).catch(
          () => null,
        );
    }
    onParse.seen = null;
    const lane = async (lanes: number): Promise<void> => {
      for (let n = lanes; n < REQUESTS; n += 4) {
        if (n % 25 < 4) await letIn(role);
        const route = d.of(targets);
        const made = requestFor(route, role, d);
        const began = performance.now();
        try {
          const { status, text } = await ask(made);
          counts[status] = (counts[status] ?? 0) + 1;
          const took = performance.now() - began;
          // a head is answered without a body
          if (status >= 500 || (status >= 400 && made.method !== 'HEAD' && !text.includes('"message"')))
            failures.push(
              `${status} ${made.method} ${made.path.slice(0, 200)} ${String(made.body).slice(0, 600)}\n   → ${text.slice(0, 200)}`,
            );
          if (took > 10_000)
            failures.push(`${Math.round(took)} ms ${made.method} ${made.path.slice(0, 200)} ${String(made.body).slice(0, 300)}`);
        } catch (error) {
          failures.push(`${(error as Error).message} ${made.method} ${made.path.slice(0, 200)} ${String(made.body).slice(0, 300)}`);
        }
      }
    };
    await Promise.all([0, 1, 2, 3].map(lane));
    if (process.env['NUDRIK_FUZZ_REQUESTS']) console.log(role, JSON.stringify(counts));
    expect(failures.slice(0, 12)).toEqual([]);
  },
);

it('the worker still sends when all of that was asked', { timeout: 600_000 }, async () => {
  await house.db.query("update settings set window_from = '00:00', window_to = '23:59', daily_limit = null");
  // whatever is held on purpose goes on
  await house.db.query("update holds set ended_at = now(), ended_by = 'x', ended_how = 'send' where ended_at is null");
  const [fresh] = await rows<{ id: string }>(
    house.db,
    "insert into people (name, email, department_id, site_id) values ('Ylva Rein', 'ylva.rein@orlasund.example', (select min(id) from departments), (select min(id) from sites)) returning id",
  );
  const another = await makeCourse(house, null, undefined, 'Asked After All That');
  await assignAt(house, another, [fresh!.id], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
  house.clock.at += 3 * 86_400_000;
  await drain(house.deps, house.mailer);
  expect(house.mailer.letters.map(({ toAddress }) => toAddress)).toContain('ylva.rein@orlasund.example');
  expect(await rows(house.db, 'select doing, error from set_aside')).toEqual([]);
  expect(await rows(house.db, "select sentence from notices where held_because = 'set-aside'")).toEqual([]);
});
