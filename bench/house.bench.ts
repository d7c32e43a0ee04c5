import { spawn } from 'node:child_process';
import type { AddressInfo } from 'node:net';
import { monitorEventLoopDelay } from 'node:perf_hooks';
import { Writable } from 'node:stream';
import pg from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import { LedgerExport, ReportQuery } from '@nudrik/contract';
import { STANDARD_PLAN, Zone } from '@nudrik/core';
import {
  AT_ONCE,
  Cancelled,
  atNow,
  atOf,
  createApp,
  fileOf,
  keepAsked,
  keepDay,
  reportSql,
  openPool,
  putPlan,
  rows,
  transaction,
  writeLedger,
  type Deps,
  type Pool,
  type Work,
} from 'nudrik';
import { HOUSE_NOW, largeHouse, SIZE, WORKED_BY } from './large-house.ts';
import { report, timedAsync } from './measure.ts';

const TIMES = 30;
/** Days of a month that are asked for: their sums are kept by then, as the worker does. */
const DAYS = 7;

/** What an administrator's pages ask, each time for somebody or something else. Milliseconds at the server. */
const PAGES: readonly { page: string; ask: (n: number) => string; goal: number }[] = [
  { page: 'Today', ask: () => '/api/today', goal: 50 },
  { page: 'Today, what needs a person', ask: () => '/api/today/needs', goal: 50 },
  { page: 'Today, a chosen day', ask: (n) => `/api/today?from=2027-03-${String(1 + (n % 14)).padStart(2, '0')}`, goal: 50 },
  { page: 'the ribbon', ask: () => '/api/ribbon', goal: 50 },
  { page: 'Ledger', ask: () => '/api/notices', goal: 50 },
  { page: 'Ledger, ahead', ask: () => '/api/notices?when=ahead', goal: 50 },
  { page: 'Ledger, one day', ask: (n) => `/api/notices?from=2027-02-${String(1 + (n % 28)).padStart(2, '0')}&to=2027-02-28`, goal: 50 },
  { page: 'Ledger, trouble', ask: () => '/api/notices?outcome=trouble', goal: 50 },
  { page: 'Ledger, held', ask: () => '/api/notices?outcome=held', goal: 50 },
  { page: 'Ledger, skipped of a course', ask: (n) => `/api/notices?outcome=skipped&course=${1 + (n % 20)}`, goal: 50 },
  { page: 'Ledger, a course', ask: (n) => `/api/notices?course=${1 + (n % 20)}`, goal: 50 },
  { page: 'Ledger, a step', ask: () => '/api/notices?step=Overdue', goal: 50 },
  { page: 'Ledger, a person', ask: (n) => `/api/notices?person=${1 + ((n * 97) % SIZE.people)}`, goal: 50 },
  { page: 'Ledger, lacking a value', ask: () => '/api/notices?lacks=manager', goal: 50 },
  { page: 'Ledger, found', ask: (n) => `/api/notices?find=Runa%20Aske%20${14 * n}`, goal: 150 },
  { page: 'Ledger, found little', ask: () => '/api/notices?find=nobody%20is%20called%20that', goal: 150 },
  { page: 'People', ask: () => '/api/people', goal: 50 },
  { page: 'People, by who is late', ask: () => '/api/people?sort=late&order=desc', goal: 50 },
  { page: 'People, a department', ask: () => '/api/people?department=Deck', goal: 50 },
  { page: 'People, far down', ask: () => '/api/people?page=600', goal: 50 },
  { page: 'People, found', ask: (n) => `/api/people?find=Runa%20${n}`, goal: 150 },
  { page: 'People, found to pick', ask: (n) => `/api/people?sort=fit&find=Aske%20${n}`, goal: 150 },
  { page: 'departments and groups', ask: () => '/api/people/facets', goal: 50 },
  { page: 'a person', ask: (n) => `/api/people/${1 + ((n * 977) % SIZE.people)}`, goal: 50 },
  { page: 'a person’s time line', ask: (n) => `/api/people/${1 + ((n * 977) % SIZE.people)}/timeline`, goal: 50 },
  { page: 'Structure', ask: () => '/api/people/structure', goal: 50 },
  { page: 'Under way', ask: (n) => `/api/reports/courses/${1 + (n % 20)}/under-way?who=all&days=7&offset=0`, goal: 150 },
  { page: 'Under way, who is stuck', ask: (n) => `/api/reports/courses/${1 + (n % 20)}/under-way?who=stuck&days=7&offset=0`, goal: 150 },
  { page: 'Requirements', ask: () => '/api/requirements', goal: 50 },
  { page: 'a requirement', ask: (n) => `/api/requirements/${1 + (n % 20)}`, goal: 50 },
  { page: 'Plans', ask: () => '/api/plans', goal: 50 },
  { page: 'a plan', ask: (n) => `/api/plans/${1 + (n % 20)}`, goal: 50 },
  { page: 'Courses', ask: () => '/api/courses', goal: 50 },
  { page: 'a course', ask: (n) => `/api/courses/${1 + (n % 20)}`, goal: 50 },
  { page: 'Matrix of a course', ask: (n) => `/api/reports/courses/${1 + (n % 20)}`, goal: 50 },
  { page: 'Matrix, who is late', ask: (n) => `/api/reports/courses/${1 + (n % 20)}?state=late&sort=due`, goal: 50 },
  { page: 'Matrix, silent', ask: (n) => `/api/reports/courses/${1 + (n % 20)}?state=silent`, goal: 50 },
  { page: 'Matrix, found', ask: (n) => `/api/reports/courses/${1 + (n % 20)}?find=Runa%20Aske%20${n}`, goal: 150 },
  { page: 'Matrix, over time', ask: (n) => `/api/reports/courses/${1 + (n % 20)}/over-time`, goal: 50 },
  { page: 'the matrix', ask: () => '/api/matrix?size=200', goal: 50 },
  { page: 'the matrix, far down', ask: (n) => `/api/matrix?size=200&from=${40_000 + 100 * n}`, goal: 150 },
  { page: 'the matrix, most late first', ask: () => '/api/matrix?size=200&sort=late&order=desc', goal: 150 },
  { page: 'the matrix, a department', ask: () => '/api/matrix?size=200&department=Deck', goal: 300 },
  { page: 'the matrix, who is late on a course', ask: (n) => `/api/matrix?size=200&state=late&course=${1 + (n % 20)}`, goal: 300 },
  { page: 'the matrix, by departments', ask: () => '/api/matrix?size=200&by=department', goal: 300 },
  {
    page: 'as of two years back: the matrix',
    ask: (n) => `/api/matrix?size=200&on=2025-03-${String(1 + (n % DAYS)).padStart(2, '0')}`,
    goal: 300,
  },
  {
    page: 'as of a year back: the matrix',
    ask: (n) => `/api/matrix?size=200&on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}`,
    goal: 300,
  },
  {
    page: 'as of last week, as is known now',
    ask: (n) => `/api/matrix?size=200&on=2027-02-${String(1 + (n % DAYS)).padStart(2, '0')}&known=now`,
    goal: 300,
  },
  {
    page: 'as of a year back: departments',
    ask: (n) => `/api/matrix?size=200&by=department&on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}`,
    goal: 300,
  },
  {
    page: 'as of a year back: a course',
    ask: (n) => `/api/reports/courses/${1 + (n % 20)}?on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}`,
    goal: 300,
  },
  {
    page: 'as of a year back: a course by due date',
    ask: (n) => `/api/reports/courses/${1 + (n % 20)}?on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}&sort=due`,
    goal: 1_000,
  },
  {
    page: 'as of a year back: who is late on a course',
    ask: (n) => `/api/reports/courses/${1 + (n % 20)}?on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}&state=late`,
    goal: 300,
  },
  {
    page: 'as of a year back: a department on a course',
    ask: (n) =>
      `/api/reports/courses/${1 + (n % 20)}?on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}&department=${['Deck', 'Engine', 'Cabin', 'Terminal'][n % 4]}`,
    goal: 1_000,
  },
  {
    page: 'as of a year back: requirements',
    ask: (n) => `/api/requirements/day?on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}`,
    goal: 300,
  },
  { page: 'who was notified', ask: (n) => `/api/reports/courses/${1 + (n % 20)}/notified`, goal: 300 },
  { page: 'who was not', ask: (n) => `/api/reports/courses/${1 + (n % 20)}/notified?who=untold`, goal: 300 },
  { page: 'who was told at each step', ask: (n) => `/api/reports/courses/${1 + (n % 20)}/coverage`, goal: 300 },
  {
    page: 'as of a year back: who was told at each step',
    ask: (n) => `/api/reports/courses/${1 + (n % 20)}/coverage?on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}`,
    goal: 300,
  },
  {
    page: 'as of a year back: who was not notified',
    ask: (n) => `/api/reports/courses/${1 + (n % 20)}/notified?who=untold&on=2026-03-${String(1 + (n % DAYS)).padStart(2, '0')}`,
    goal: 300,
  },
  { page: 'evidence: a sample', ask: () => '/api/evidence/sample?from=2026-03-01&to=2026-03-31&seed=7', goal: 1_000 },
  { page: 'evidence of a person', ask: (n) => `/api/people/${1 + n * 37}/data`, goal: 300 },
  { page: 'evidence of a person whose certificates are made', ask: (n) => `/api/people/${1 + (n % 5) * 37}/data`, goal: 300 },
  { page: 'who finished', ask: (n) => `/api/reports/courses/${1 + (n % 20)}/finished`, goal: 300 },
  { page: 'My team, all', ask: () => '/api/team', goal: 50 },
  { page: 'Certificates', ask: () => '/api/certificates', goal: 50 },
  { page: 'Certificates, found', ask: (n) => `/api/certificates?find=Runa%20Aske%20${14 * n}`, goal: 150 },
  { page: 'acts by hand', ask: () => '/api/assignments/acts', goal: 50 },
];

interface House {
  base: string;
  cookie: string;
  csrf: string;
  close(): Promise<void>;
}

async function open(deps: Deps): Promise<House> {
  const app = createApp(deps, null);
  const server = app.listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const entered = await fetch(`${base}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'x-csrf-token': 'nobody' },
    body: JSON.stringify(WORKED_BY),
  });
  if (!entered.ok) throw new Error(`Signing in: ${entered.status} ${await entered.text()}`);
  const cookie = entered.headers.getSetCookie()[0]!.split(';')[0]!;
  const { csrf } = (await entered.json()) as { csrf: string };
  return { base, cookie, csrf, close: () => new Promise((resolve) => server.close(() => resolve())) };
}

/** Median and worst of 30 requests, once one has warmed the caches of the database. */
async function measure(house: House, ask: (n: number) => string): Promise<{ median: number; worst: number; bytes: number }> {
  const times: number[] = [];
  let bytes = 0;
  for (let n = 0; n <= TIMES; n++) {
    const began = performance.now();
    const answer = await fetch(house.base + ask(n), { headers: { cookie: house.cookie } });
    bytes = (await answer.arrayBuffer()).byteLength;
    const took = performance.now() - began;
    if (!answer.ok) throw new Error(`${ask(n)}: ${answer.status}`);
    if (n > 0) times.push(took);
    // what is hopeless is not asked thirty times
    if (n >= 3 && took > 2_000) break;
  }
  times.sort((a, b) => a - b);
  return { median: times[times.length >> 1]!, worst: times.at(-1)!, bytes };
}

const COUNTS = `
select
  (select count(*)::integer from people) as people, (select count(*)::integer from assignments) as assignments,
  (select count(*)::integer from notices) as notices
`;

function depsOf(db: Pool, databaseUrl: string): Deps {
  return {
    db,
    clock: { now: () => HOUSE_NOW },
    settings: {
      databaseUrl,
      directUrl: databaseUrl,
      port: 0,
      baseUrl: 'http://nudrik.example',
      smtpUrl: '',
      pace: { perMinute: null, perDomain: null },
      dkim: null,
      inboundPort: 0,
      mailbox: null,
      chat: null,
      chatStandInUrl: null,
      postRoomUrl: null,
      feedStandInUrl: null,
      feedTimeoutMs: 2_000,
      feedHosts: [],
      webDir: null,
      sessionHours: 12,
      idleHours: 12,
      jobAbove: 2_000,
      key: 'the key of the house of the bench',
      keyFile: '',
      erasedFile: '',
      office: null,
      elsewhere: null,
      logLevel: 'silent',
    },
    log: { info() {}, warn() {}, error: (facts) => process.stderr.write(`${JSON.stringify(facts)}\n`) },
  };
}

/** Every page of an administrator in a house of 50,000 people, a million assignments, five million notices. */
export async function houseBench(databaseUrl: string): Promise<void> {
  const url = await largeHouse(databaseUrl);
  const db = openPool(url, 10);
  const [size] = (await rows<Record<string, number>>(db, COUNTS)) as [Record<string, number>];
  report(
    'a large house',
    Object.entries(size)
      .map(([what, count]) => `${count.toLocaleString('en')} ${what}`)
      .join(', '),
    `${SIZE.courses} courses`,
  );
  const house = await open(depsOf(db, url));
  try {
    // NUDRIK_BENCH_PAGES=Today measures only those whose name begins so
    // what the worker counts of each day before somebody asks for it
    if ('as of'.startsWith(process.env['NUDRIK_BENCH_PAGES'] ?? '')) await sumDays(db);
    const chosen = PAGES.filter(({ page }) => page.startsWith(process.env['NUDRIK_BENCH_PAGES'] ?? ''));
    for (const { page, ask, goal } of chosen) {
      const { median, worst, bytes } = await measure(house, ask);
      report(
        page,
        `${median.toFixed(0)} ms, worst ${worst.toFixed(0)} ms, ${Math.round(bytes / 1024)} kB`,
        `${median <= goal ? '' : '!! '}goal ${goal} ms`,
      );
    }
  } finally {
    await house.close();
    await db.end();
  }
  const only = process.env['NUDRIK_BENCH_PAGES'];
  if (!only || only === 'files') await files(url);
  if (!only || only === 'watchdog') await watchdog(url);
  if (!only || only === 'long') await longWork(databaseUrl, url);
}

/** The sums of the days that are asked for, as the worker keeps them: a day each time. */
async function sumDays(db: Pool): Promise<void> {
  const times: number[] = [];
  for (const month of ['2025-03', '2026-03', '2027-02'])
    for (let day = 1; day <= DAYS; day++) {
      const began = performance.now();
      const at = atOf({ on: `${month}-${String(day).padStart(2, '0')}`, known: 'then' }, HOUSE_NOW, Zone.of('Europe/Oslo'));
      await keepDay(db, at);
      await keepAsked(db, at);
      times.push(performance.now() - began);
    }
  report(
    'the sums of a day, counted once',
    `${Math.round(times.sort((a, b) => a - b)[times.length >> 1]!)} ms`,
    'by the worker, once a day',
  );
}

/** The report of a course as a file, against COPY of the same rows; and how much more memory it takes. */
async function files(databaseUrl: string): Promise<void> {
  const db = openPool(databaseUrl, 10);
  try {
    const query = ReportQuery.parse({});
    const { sql, values } = reportSql('1', query, atNow(HOUSE_NOW, Zone.of('Europe/Oslo')));
    const told = (value: unknown): string => `'${value instanceof Date ? value.toISOString() : String(value)}'`;
    const literal = sql.replace(/\$(\d+)/g, (_, n: string) => told(values[Number(n) - 1]));
    const copied = await timedAsync(async () => {
      const client = await db.connect();
      let bytes = 0;
      for await (const part of client.query(copyTo(`copy (${literal}) to stdout csv header`)) as AsyncIterable<Buffer>)
        bytes += part.length;
      client.release();
      return bytes;
    });
    for (const kind of ['csv', 'xlsx'] as const) {
      const before = process.memoryUsage().rss;
      let [most, bytes] = [before, 0];
      const { seconds, value } = await timedAsync(async () => {
        const ready = await fileOf(depsOf(db, databaseUrl), { kind, of: { report: 'course', course: '1', ...query } });
        const out = new Writable({ write: (chunk: Buffer, _, done) => ((bytes += chunk.length), (most = Math.max(most, process.memoryUsage().rss)), done()) }); // prettier-ignore
        await ready.write(out, AT_ONCE);
        return ready.total;
      });
      report(
        `${value.toLocaleString('en')} rows of a report as ${kind.toUpperCase()}`,
        `${seconds.toFixed(1)} s, ${(copied.seconds / seconds).toFixed(2)} of COPY; ${Math.round(bytes / 2 ** 20)} MB, with ${Math.round((most - before) / 2 ** 20)} MB more memory`,
        kind === 'csv' ? 'goal 0.5' : '',
      );
    }
    for (const form of ['csv', 'xlsx'] as const) await millionRows(db, databaseUrl, form);
  } finally {
    await db.end();
  }
}

const MILLION = 1_000_000;

/** A million rows of the ledger in one file: memory after a tenth of them against all of them; it is ended then, as somebody who cancels does. */
async function millionRows(db: Pool, databaseUrl: string, form: 'csv' | 'xlsx'): Promise<void> {
  let [bytes, seen, tenth, most] = [0, 0, 0, 0];
  const out = new Writable({ write: (chunk: Buffer, _, done) => ((bytes += chunk.length), done()) });
  out.on('error', () => undefined);
  const work: Work = {
    ...AT_ONCE,
    at(done) {
      seen = done;
      const { rss } = process.memoryUsage();
      if (done <= MILLION / 10) tenth = Math.max(tenth, rss);
      most = Math.max(most, rss);
      return done >= MILLION ? Promise.reject(new Cancelled()) : Promise.resolve();
    },
  };
  const { seconds } = await timedAsync(async () => {
    try {
      await writeLedger(depsOf(db, databaseUrl), LedgerExport.parse({ form }), out, work);
    } catch (error) {
      if (!(error instanceof Cancelled)) throw error;
    }
  });
  out.destroy();
  report(
    `${seen.toLocaleString('en')} rows of the ledger as ${form.toUpperCase()}, and ended`,
    `${seconds.toFixed(0)} s, ${Math.round(seen / seconds).toLocaleString('en')} rows a second; ${Math.round(bytes / 2 ** 20)} MB, memory grows by ${Math.round((most - tenth) / 2 ** 20)} MB after the first tenth`,
    'constant memory',
  );
}

/** What a worker does meanwhile: a requirement is previewed and switched on for everyone. The web answers. */
async function longWork(databaseUrl: string, from: string): Promise<void> {
  const url = await copyOf(databaseUrl, from);
  const db = openPool(url, 10);
  const [course] = await rows<{ id: string }>(
    db,
    `insert into courses (title, required_units, version) select 'Lines and Gangway', required_units, 1 from courses where id = 1 returning id`,
  );
  await transaction(db, (client) => putPlan(client, course!.id, 1, HOUSE_NOW, 'Bench', STANDARD_PLAN));
  await db.query('truncate reconcile, replan');
  const house = await open(depsOf(db, url));
  const worker = spawn(process.execPath, [process.env['NUDRIK_PROGRAM']!, 'worker'], {
    env: { ...process.env, DATABASE_URL: url, SMTP_URL: 'smtp://127.0.0.1:9', NUDRIK_LOG: 'warn' },
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  const draft = {
    name: 'Lines for all', courseId: course!.id, audience: { all: [] }, due: { kind: 'after', amount: 21, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 14, creditMonths: null,
    renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask',
  }; // prettier-ignore
  const send = async (path: string, body: object): Promise<{ status: number; body: Record<string, unknown> }> => {
    const answer = await fetch(house.base + path, {
      method: 'POST',
      headers: { cookie: house.cookie, 'x-csrf-token': house.csrf, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    return { status: answer.status, body: (await answer.json()) as Record<string, unknown> };
  };
  const get = async (path: string): Promise<Record<string, unknown>> =>
    (await (await fetch(house.base + path, { headers: { cookie: house.cookie } })).json()) as Record<string, unknown>;
  try {
    for (const [what, path, body] of [
      ['previewing a requirement for everyone', '/api/requirements/preview', { id: null, draft }],
      ['switching it on', '', {}],
    ] as const) {
      const id = path ? null : ((await send('/api/requirements', draft)).body['id'] as string);
      const began = performance.now();
      const { body: begun } = await send(path || `/api/requirements/${id}/on`, path ? body : { version: 1 });
      const times: number[] = [];
      let job = await get(`/api/jobs/${String(begun['job'])}`);
      for (let n = 0; job['state'] === 'waiting' || job['state'] === 'running'; n++) {
        const asked = performance.now();
        await get(['/api/people', '/api/notices', '/api/courses', `/api/people/${1 + n}`][n % 4]!);
        times.push(performance.now() - asked);
        if (n % 20 === 0) job = await get(`/api/jobs/${String(begun['job'])}`);
      }
      times.sort((a, b) => a - b);
      if (job['state'] !== 'done') throw new Error(`${what}: ${JSON.stringify(job)}`);
      const p99 = times[Math.floor(times.length * 0.99)] ?? 0;
      report(
        what,
        `${((performance.now() - began) / 1000).toFixed(1)} s; meanwhile pages p99 ${p99.toFixed(0)} ms of ${times.length}`,
        `${p99 <= 100 ? '' : '!! '}goal 100 ms`,
      );
    }
  } finally {
    worker.kill('SIGKILL');
    await house.close();
    await db.end();
  }
}

/** What asks most of the web process: how long anything else waits for its turn meanwhile. */
async function watchdog(databaseUrl: string): Promise<void> {
  const db = openPool(databaseUrl, 10);
  const house = await open(depsOf(db, databaseUrl));
  const leaf = { department: Array.from({ length: 24 }, (_, n) => String(1 + n)), below: true };
  const nested = (depth: number): object => (depth === 0 ? leaf : { all: [{ any: [leaf, { not: leaf }] }, nested(depth - 1)] });
  const draft = {
    name: 'Of all kinds', courseId: '1', audience: { all: Array.from({ length: 12 }, () => nested(4)) }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' }, dueTime: '17:00',
    graceDays: 7, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask',
  }; // prettier-ignore
  const steps = Array.from({ length: 40 }, (_, n) => ({
    ...STANDARD_PLAN[2]!,
    id: `s${n}`,
    name: `Step ${n}`,
    anchor: { event: 'due' },
    repeat: { every: { amount: 1, unit: 'days' }, times: 30 },
  }));
  const asks: readonly (readonly [string, string, object?])[] = [
    ['the audience builder', '/api/requirements/audience'],
    ['the roster, for a file', '/api/people/roster'],
    ['who is in a requirement', '/api/requirements/1/people'],
    ['a requirement of all kinds', '/api/requirements/preview', { id: null, draft }],
    ['a plan of 40 steps of 100', '/api/plans/1/preview', { version: 1, steps }],
    ['finding 20,000 names', '/api/people/resolve', { text: Array.from({ length: 20_000 }, (_, n) => `Person ${n}`).join('\n') }],
    ['a report as CSV', '/api/reports/file?kind=csv&report=course&course=1'],
  ];
  try {
    for (const [what, path, body] of asks) {
      const delay = monitorEventLoopDelay({ resolution: 5 });
      delay.enable();
      const began = performance.now();
      const answer = await fetch(house.base + path, {
        method: body ? 'POST' : 'GET',
        headers: { cookie: house.cookie, 'x-csrf-token': house.csrf, 'content-type': 'application/json' },
        ...(body ? { body: JSON.stringify(body) } : {}),
      });
      const bytes = (await answer.arrayBuffer()).byteLength;
      delay.disable();
      const worst = delay.max / 1e6;
      report(
        `watchdog: ${what}`,
        `${answer.status}, ${((performance.now() - began) / 1000).toFixed(1)} s, ${Math.round(bytes / 1024)} kB; others wait ${worst.toFixed(0)} ms at worst`,
        `${worst <= 200 ? '' : '!! '}goal 200 ms`,
      );
    }
  } finally {
    await db.query("delete from jobs where state = 'waiting'");
    await house.close();
    await db.end();
  }
}

/** A copy that work may change. @returns its url */
async function copyOf(databaseUrl: string, from: string): Promise<string> {
  const admin = new pg.Client({ connectionString: databaseUrl });
  await admin.connect();
  await admin.query('drop database if exists large_house_at_work with (force)');
  await admin.query(`create database large_house_at_work template ${new URL(from).pathname.slice(1)}`);
  await admin.end();
  return databaseUrl.replace(/\/[^/]*$/, '/large_house_at_work');
}
