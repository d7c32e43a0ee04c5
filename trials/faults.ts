// npm run faults: workers are killed, stopped and told to stop, PostgreSQL restarts, the mail server refuses, breaks off and goes away,
// while letters go out; at the end nothing may be lost, stuck or wrong, and repeated only what was on the wire.
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { randomInt } from 'node:crypto';
import { SMTPServer } from 'smtp-server';
import { rows } from 'nudrik';
import { assignRound, count, seedHouse } from './seed.ts';

const MINUTES = Number(process.env['NUDRIK_FAULTS_MINUTES'] ?? 3);
const databaseUrl = process.env['NUDRIK_FAULTS_DATABASE']!;
const program = process.env['NUDRIK_PROGRAM']!;
/** letters on the wire of a worker, and as many just answered */
const WIRE = 10;
const PEOPLE = 400;
const say = (words: string): void => void process.stdout.write(`${words}\n`);
const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** A mail server that keeps what it took, and behaves as it is told. */
class Sink {
  readonly taken = new Map<string, number>();
  private server: SMTPServer | null = null;
  port = 0;
  mood: 'well' | 'slow' | 'refuses us' | 'refuses some' | 'breaks off' = 'well';

  async open(): Promise<void> {
    if (this.server) return;
    const server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      logger: false,
      closeTimeout: 100,
      onMailFrom: (_from, _session, done) =>
        done(this.mood === 'refuses us' ? Object.assign(new Error('5.7.1 not you'), { responseCode: 550 }) : null),
      onRcptTo: (_to, _session, done) =>
        done(this.mood === 'refuses some' && Math.random() < 0.3 ? Object.assign(new Error('4.2.1 later'), { responseCode: 451 }) : null),
      onData: (stream, session, done) => {
        let head = '';
        stream.on('data', (chunk: Buffer) => (head += head.length < 8_000 ? chunk.toString('latin1') : ''));
        stream.on('end', () => {
          const breaks = this.mood === 'breaks off' && Math.random() < 0.2;
          const to = (session.envelope.rcptTo as { address: string }[])[0]!.address;
          // the token is kept, the 32 letters behind it are its signature
          const go = /\/go\/([\w-]+)[\w-]{32}/.exec(head.replace(/=\r\n/g, ''))?.[1] ?? to;
          // taken, whether or not the answer still reaches whoever sent it
          if (!breaks || Math.random() < 0.5) this.taken.set(go, (this.taken.get(go) ?? 0) + 1);
          if (breaks) return void (session as unknown as { connection?: { _socket: { destroy(): void } } }).connection?._socket.destroy();
          setTimeout(() => done(), this.mood === 'slow' ? 1_500 : 5);
        });
      },
    });
    for (;;) {
      // while it was down, somebody else may have had the port for a moment
      const isOpen = await new Promise<boolean>((resolve) => {
        server.once('error', () => resolve(false));
        server.listen(this.port, '127.0.0.1', () => resolve(true));
      });
      if (isOpen) break;
      await sleep(100);
    }
    server.on('error', () => undefined);
    this.port = (server.server.address() as { port: number }).port;
    this.server = server;
  }

  async shut(): Promise<void> {
    const { server } = this;
    this.server = null;
    if (server) await new Promise<void>((resolve) => server.close(() => resolve()));
  }
}

/** A worker that comes back when it is killed by us; one that ends by itself is counted. */
class Worker {
  child!: ChildProcess;
  private isOurs = false;
  constructor(
    private readonly env: NodeJS.ProcessEnv,
    private readonly ended: (code: number | null) => void,
  ) {
    this.start();
  }

  /** whether it runs: before, the runtime itself is still starting */
  ready: Promise<unknown> = Promise.resolve();

  start(): void {
    this.isOurs = false;
    this.child = spawn(process.execPath, ['--enable-source-maps', program, 'worker'], {
      env: this.env,
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    this.ready = new Promise((resolve) => (this.child.once('message', resolve), this.child.once('exit', resolve)));
    this.child.once('exit', (code) => {
      if (!this.isOurs) {
        this.ended(code);
        this.start();
      }
    });
  }

  async end(signal: NodeJS.Signals): Promise<number | null> {
    this.isOurs = true;
    const { child } = this;
    const gone = new Promise<number | null>((resolve) => child.once('exit', (code) => resolve(code)));
    child.kill(signal);
    return gone;
  }
}

const restartPostgres = (mode: 'fast' | 'immediate'): void => {
  const [name, ...args] = JSON.parse(process.env['NUDRIK_RESTART']!) as string[];
  const result = spawnSync(name!, [...args, '-m', mode, 'restart'], { stdio: 'ignore', cwd: '/' });
  if (result.status !== 0) throw new Error(`PostgreSQL did not restart (${result.status}).`);
};

const WAITING = "select (select count(*) from replan)::integer + (select count(*) from notices where state = 'planned')::integer as n";

const sink = new Sink();
await sink.open();
const { db, course, people } = await seedHouse(databaseUrl, PEOPLE);
const env = {
  ...process.env,
  DATABASE_URL: databaseUrl,
  SMTP_URL: `smtp://127.0.0.1:${sink.port}`,
  BASE_URL: 'http://nudrik.example',
  NUDRIK_LOG: process.env['NUDRIK_LOG'] ?? 'silent',
};
let endedByItself = 0;
const workers = [0, 1].map(() => new Worker(env, (code) => ((endedByItself += 1), say(`!! a worker ended by itself with code ${code}`))));

const faults = { kills: 0, restarts: 0, stops: 0, moods: 0, pauses: 0 };
const expected: string[] = [];
const asked = async <T>(work: () => Promise<T>): Promise<T> => {
  for (;;) {
    try {
      return await work();
    } catch (error) {
      if (performance.now() > deadline + 600_000) throw error;
      await sleep(200); // the database restarts under us too
    }
  }
};
const deadline = performance.now() + MINUTES * 60_000;
let round = 0;
const worst: string[] = [];
// the last of the evening is for what still goes out; a short one is played all the same
const played = performance.now() + Math.max(25_000, MINUTES * 60_000 - 75_000);
while (performance.now() < played) {
  // never so much that the rest of the evening is spent on sending what waits
  if ((await asked(() => count(db, WAITING))) < 8 * PEOPLE) {
    // those of the round before whose letters still go keep going: a withdrawal by column alone is nobody's decision
    round += 1;
    const ids = await asked(() => assignRound(db, course, people, round)).catch(() => []);
    expected.push(...ids);
  }
  const worker = workers[randomInt(2)]!;
  await sleep(randomInt(100, 900));
  const dice = randomInt(100);
  if (dice < 55) {
    await worker.end('SIGKILL');
    worker.start();
    faults.kills += 1;
  } else if (dice < 63) {
    await Promise.all(workers.map((each) => each.end('SIGKILL')));
    for (const each of workers) each.start();
    faults.kills += 2;
  } else if (dice < 70) {
    restartPostgres(dice < 67 ? 'fast' : 'immediate');
    faults.restarts += 1;
  } else if (dice < 80) {
    await worker.ready;
    const code = await worker.end('SIGTERM');
    if (code !== 0) worst.push(`a worker that was told to stop ended with ${code}`);
    worker.start();
    faults.stops += 1;
  } else if (dice < 92) {
    sink.mood = (['slow', 'refuses some', 'breaks off', 'refuses us'] as const)[randomInt(4)]!;
    await sleep(randomInt(300, 1_500));
    sink.mood = 'well';
    faults.moods += 1;
  } else if (dice < 96) {
    await sink.shut();
    await sleep(randomInt(200, 2_000));
    await sink.open();
    faults.moods += 1;
  } else {
    worker.child.kill('SIGSTOP');
    await sleep(randomInt(500, 4_000));
    worker.child.kill('SIGCONT');
    faults.pauses += 1;
  }
}
say(`${round} rounds of ${PEOPLE} letters; ${JSON.stringify(faults)}`);
if (expected.length === 0) worst.push('nothing was played: no letter was asked for');
// no person helps: all goes by itself, retries with their pauses among it
// as long as letters go; who is told "later" again and again waits up to an hour, and that hour is let pass
let limit = performance.now() + 8 * 60_000;
let open = Infinity;
const OPEN = "select count(*)::integer as n from notices where state not in ('sent', 'delivered')";
const LET_PASS = "update notices set try_at = now() where state = 'planned' and attempts > 2 and try_at > now() returning id";
const isDone = async (): Promise<boolean> =>
  (await count(db, OPEN)) === 0 &&
  (await count(db, 'select count(*)::integer as n from notices')) === expected.length &&
  (await count(db, 'select count(*)::integer as n from replan')) === 0;
let isLetPass = false;
while (!(await asked(isDone)) && performance.now() < limit) {
  await sleep(500);
  const left = await asked(() => count(db, OPEN));
  if (left < open - PEOPLE) {
    limit = performance.now() + 8 * 60_000;
    open = left;
  }
  if (isLetPass || performance.now() < limit - 3 * 60_000) continue;
  isLetPass = true;
  const passed = await asked(() => rows<{ id: string }>(db, LET_PASS));
  if (passed.length > 0) say(`${passed.length} letters waited for a pause that had grown long; it was let pass`);
}

const tokens = (await rows<{ id: string; token: string }>(db, 'select id, token from assignments')).map(({ token }) => token);
const lost = tokens.filter((token) => !sink.taken.has(token)).length;
const stuck = await count(db, OPEN);
const repeats = [...sink.taken.values()].reduce((sum, times) => sum + times - 1, 0);
const marked = await count(db, "select count(*)::integer as n from people where address_state <> 'ok'");
const aside = await count(db, 'select count(*)::integer as n from set_aside');
// the counts that pages read say what there is, whatever was killed between
const astray = (await rows<{ what: string }>(db, 'select what from figures_astray() limit 5')).map(({ what }) => what);
if (astray.length > 0) worst.push(`kept counts do not say what there is: ${astray.join('; ')}`);
// whatever was on the wire at a kill, a restart, a break of the connection
const allowed = WIRE * (faults.kills + 2 * faults.restarts + faults.pauses + 2 * faults.moods);
say(
  `letters ${tokens.length}, lost ${lost}, stuck ${stuck}, repeats ${repeats} (${(repeats / Math.max(1, faults.kills)).toFixed(1)} a kill; allowed ${allowed}), ` +
    `addresses marked ${marked}, set aside ${aside}, ended by themselves ${endedByItself}`,
);
if (stuck > 0)
  for (const row of await rows<{ line: string }>(
    db,
    "select state || ' ' || coalesce(sentence, '') || ' ' || coalesce(try_at::text, 'no time') || ' by ' || coalesce(claimed_by::text, 'nobody') as line from notices where state not in ('sent', 'delivered') limit 10",
  ))
    say(`  stuck: ${row.line}`);
for (const line of worst) say(`!! ${line}`);
await Promise.all(workers.map((each) => each.end('SIGTERM')));
await sink.shut();
await db.end();
const isWell = lost === 0 && stuck === 0 && marked === 0 && aside === 0 && endedByItself === 0 && worst.length === 0 && repeats <= allowed;
say(isWell ? 'All went.' : '!! Something was lost, stuck, wrong or repeated too often.');
process.exit(isWell ? 0 : 1);
