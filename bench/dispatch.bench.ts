import { generateKeyPairSync } from 'node:crypto';
import { createTransport } from 'nodemailer';
import { openPostRoom } from '@nudrik/standins';
import { dispatch, mailOf, openMailChannel, openPool, planWaiting, type Channel, type Deps, type Letter, type Signer } from 'nudrik';
import { report, timedAsync } from './measure.ts';

const COUNT = 2_000;

/** Sending through the ledger against a bare nodemailer loop with the same letters, pool and sink; then signed, and with a file. */
export async function dispatchBench(databaseUrl: string): Promise<void> {
  await run(databaseUrl, null);
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048, publicKeyEncoding: { type: 'spki', format: 'pem' }, privateKeyEncoding: { type: 'pkcs8', format: 'pem' } }); // prettier-ignore
  await run(databaseUrl, { privateKey, selector: 'nudrik', domain: 'orlasund.example' });
}

const FILE = Buffer.alloc(20_000, 'Hoses are checked on the first of each month.\n');
/** Gives every message of the plans a file, as publishing would. */
const ADD_FILE = `
with file as (insert into files (name, type, size, purpose, about) values ('Hoses.txt', 'text/plain', $1::bigint, 'handout', '{}') returning id),
  part as (insert into file_parts (file_id, start, content) select id, 0, $2::bytea from file),
  handout as (insert into handouts (course_id) select min(course_id) from plans returning id),
  kept as (insert into handout_files (handout_id, version, file_id, put_at, put_by) select handout.id, 1, file.id, now(), 'bench' from handout, file)
update plans
set steps = (
  select jsonb_agg(jsonb_set(s, '{message,files}', jsonb_build_array(jsonb_build_object('handout', handout.id::text, 'as', 'attached', 'hours', 24, 'times', null, 'mayAsk', true))))
  from jsonb_array_elements(steps) s
)
from handout
`;

async function run(databaseUrl: string, signer: Signer | null): Promise<void> {
  const sink = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0, isSink: true });
  const db = openPool(databaseUrl, 6);
  if (signer) await db.query(ADD_FILE, [FILE.length, FILE]);
  const smtpUrl = `smtp://127.0.0.1:${sink.smtpPort}`;
  const ratios: number[] = [];
  let rate = 0;
  for (let turn = 0; turn < 5; turn++) {
    await db.query('truncate notices, messages, deliveries restart identity cascade');
    await db.query(`insert into replan (assignment_id) select id from assignments order by id limit ${COUNT}`);
    const deps = {
      db,
      clock: { now: () => Date.parse('2027-03-01T08:00:00Z') },
      settings: { databaseUrl, baseUrl: 'http://nudrik.example', key: 'the key of the bench' },
      log: { info() {}, warn() {}, error() {} },
    } as unknown as Deps;
    await planWaiting(deps, COUNT);
    const mailer = openMailChannel(smtpUrl, signer);
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
      ...(signer && { dkim: { domainName: signer.domain!, keySelector: signer.selector, privateKey: signer.privateKey } }),
    });
    const bare = await timedAsync(() => Promise.all(letters.map((letter) => transport.sendMail(mailOf(letter)))));
    transport.close();
    ratios.push(bare.seconds / ours.seconds);
    rate = COUNT / ours.seconds;
  }
  report(
    `dispatching ${COUNT.toLocaleString('en')} notices${signer ? ', signed, each with a file' : ''}`,
    `${ratios.sort((a, b) => a - b)[2]!.toFixed(2)} of a bare nodemailer loop (${Math.round(rate)}/s)`,
    'goal 0.8',
  );
  await db.end();
  await sink.close();
}
