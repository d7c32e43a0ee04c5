import { spawn, type ChildProcess } from 'node:child_process';
import { createServer, connect, type AddressInfo, type Server } from 'node:net';
import pg from 'pg';
import { hashPassword, rows, type Pool } from 'nudrik';
import { SMTPServer } from 'smtp-server';
import { assignRound, count, seedHouse } from '../trials/seed.ts';
import { report } from './measure.ts';

const LETTERS = 2_000;
/** What the mail server takes to answer a letter: as many workers as there are wait for it at once. */
const ANSWER_MS = 30;
const WORKED_BY = { email: 'sigrid.aune@orlasund.example', password: 'a long password of the bench' };

const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** A mail server that takes everything after a while, and keeps how often each. */
async function openSink(): Promise<{ port: number; taken: Map<string, number>; close(): Promise<void> }> {
  const taken = new Map<string, number>();
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    logger: false,
    onData: (stream, _session, done) => {
      let text = '';
      stream.on('data', (chunk: Buffer) => (text += text.length < 8_000 ? chunk.toString('latin1') : ''));
      stream.on('end', () => {
        const id = /^Message-ID: (\S+)/im.exec(text)?.[1] ?? '?';
        taken.set(id, (taken.get(id) ?? 0) + 1);
        setTimeout(() => done(), ANSWER_MS);
      });
    },
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.server.address() as AddressInfo;
  return { port, taken, close: () => new Promise((resolve) => server.close(() => resolve())) };
}

/** A plain proxy: each connection to the next of some ports. */
async function openProxy(ports: readonly number[]): Promise<{ port: number; server: Server }> {
  let next = 0;
  const server = createServer((from) => {
    const to = connect(ports[next++ % ports.length]!, '127.0.0.1');
    from.pipe(to).pipe(from);
    for (const end of [from, to]) end.on('error', () => (from.destroy(), to.destroy()));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { port: (server.address() as AddressInfo).port, server };
}

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/** Letters a second that some workers bring out. */
async function rate(db: Pool, course: string, people: readonly string[], round: number): Promise<number> {
  const before = await count(db, "select count(*)::integer as n from notices where state in ('sent', 'delivered')");
  await assignRound(db, course, people, round);
  // planning is over when the first tenth is out: what is measured is sending
  const wanted = before + people.length;
  const tenth = before + people.length / 10;
  let began = 0;
  for (;;) {
    const sent = await count(db, "select count(*)::integer as n from notices where state in ('sent', 'delivered')");
    if (began === 0 && sent >= tenth) began = performance.now();
    if (sent >= wanted) return (people.length * 0.9) / ((performance.now() - began) / 1000);
    await sleep(50);
  }
}

/** Two workers against one, and three web and three worker processes of one house behind a plain proxy. */
export async function workersBench(databaseUrl: string): Promise<void> {
  const name = 'bench_workers';
  const admin = new pg.Client({ connectionString: databaseUrl });
  await admin.connect();
  await admin.query(`drop database if exists ${name} with (force)`);
  await admin.query(`create database ${name}`);
  await admin.end();
  const url = databaseUrl.replace(/\/[^/]*$/, `/${name}`);
  const { db, course, people } = await seedHouse(url, LETTERS);
  await db.query('insert into accounts (email, name, role, password_hash) values ($1::text, $2::text, $3::text, $4::text)', [
    WORKED_BY.email,
    'Sigrid Aune',
    'administrator',
    await hashPassword(WORKED_BY.password),
  ]);
  const sink = await openSink();
  const children: ChildProcess[] = [];
  const start = (role: string, env: NodeJS.ProcessEnv = {}): Promise<ChildProcess> =>
    new Promise((resolve) => {
      const child = spawn(process.execPath, [process.env['NUDRIK_PROGRAM']!, role], {
        env: { ...process.env, DATABASE_URL: url, SMTP_URL: `smtp://127.0.0.1:${sink.port}`, NUDRIK_LOG: 'warn', ...env },
        stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      });
      children.push(child);
      child.once('message', () => resolve(child));
    });
  try {
    await start('worker');
    const one = await rate(db, course, people, 1);
    await start('worker');
    const two = await rate(db, course, people, 2);
    report(
      'two workers against one, where the mail server allows it',
      `${(two / one).toFixed(2)} × (${Math.round(one)} and ${Math.round(two)} letters a second)`,
      'goal 1.6 ×',
    );
    await start('worker');
    const ports = [await freePort(), await freePort(), await freePort()];
    await Promise.all(ports.map((port) => start('web', { PORT: String(port) })));
    const proxy = await openProxy(ports);
    const base = `http://127.0.0.1:${proxy.port}`;
    const entered = await fetch(`${base}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'x-csrf-token': 'nobody', connection: 'close' },
      body: JSON.stringify(WORKED_BY),
    });
    const cookie = entered.headers.getSetCookie()[0]!.split(';')[0]!;
    let asked = 0;
    let wrong = 0;
    const sending = rate(db, course, people, 3);
    let isOver = false;
    void sending.then(() => (isOver = true));
    while (!isOver) {
      const answers = await Promise.all(
        ['/api/today', '/api/notices', '/api/people', '/api/courses'].map((path) =>
          fetch(base + path, { headers: { cookie, connection: 'close' } }),
        ),
      );
      for (const answer of answers) {
        asked += 1;
        if (answer.status !== 200) wrong += 1;
        await answer.arrayBuffer();
      }
    }
    const three = await sending;
    const [{ astray }] = (await rows<{ astray: number }>(db, 'select count(*)::integer as astray from figures_astray()')) as [
      { astray: number },
    ];
    const twice = [...sink.taken.values()].filter((times) => times > 1).length;
    report(
      'three web and three workers behind a plain proxy',
      `${Math.round(three)} letters a second, ${twice} twice; ${asked} requests, ${wrong} not answered; ${astray} counts astray`,
      `${twice + wrong + astray === 0 ? '' : '!! '}goal 0, 0 and 0`,
    );
    proxy.server.close();
  } finally {
    for (const child of children) child.kill('SIGKILL');
    await sink.close();
    await db.end();
  }
}
