import { createTransport } from 'nodemailer';
import { openPostRoom } from '@nudrik/standins';
import { dispatch, mailOf, openMailChannel, openPool, planWaiting, type Channel, type Deps, type Letter } from 'nudrik';
import { report, timedAsync } from './measure.ts';

const COUNT = 2_000;

/** Sending through the ledger against a bare nodemailer loop with the same letters, pool and sink. */
export async function dispatchBench(databaseUrl: string): Promise<void> {
  const sink = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0, isSink: true });
  const db = openPool(databaseUrl, 6);
  const smtpUrl = `smtp://127.0.0.1:${sink.smtpPort}`;
  const ratios: number[] = [];
  let rate = 0;
  for (let run = 0; run < 5; run++) {
    await db.query('truncate notices, messages, deliveries restart identity cascade');
    await db.query(`insert into replan (assignment_id) select id from assignments order by id limit ${COUNT}`);
    const deps = {
      db,
      clock: { now: () => Date.parse('2027-03-01T08:00:00Z') },
      settings: { databaseUrl, baseUrl: 'http://nudrik.example', key: 'the key of the bench' },
      log: { info() {}, warn() {}, error() {} },
    } as unknown as Deps;
    await planWaiting(deps, COUNT);
    const mailer = openMailChannel(smtpUrl);
    const letters: Letter[] = [];
    const channel: Channel = { ...mailer, send: (letter) => (letters.push(letter), mailer.send(letter)) };
    const ours = await timedAsync(async () => {
      while ((await dispatch(deps, channel)) > 0);
    });
    mailer.close();
    if (letters.length !== COUNT) throw new Error(`Expected ${COUNT} letters, got ${letters.length}.`);
    const transport = createTransport({
      pool: true,
      maxConnections: 5,
      maxMessages: 1000,
      host: '127.0.0.1',
      port: sink.smtpPort,
      ignoreTLS: true,
    });
    const bare = await timedAsync(() => Promise.all(letters.map((letter) => transport.sendMail(mailOf(letter)))));
    transport.close();
    ratios.push(bare.seconds / ours.seconds);
    rate = COUNT / ours.seconds;
  }
  report(
    `dispatching ${COUNT.toLocaleString('en')} notices`,
    `${ratios.sort((a, b) => a - b)[2]!.toFixed(2)} of a bare nodemailer loop (${Math.round(rate)}/s)`,
    'goal 0.8',
  );
  await db.end();
  await sink.close();
}
