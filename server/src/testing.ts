import { createHash, randomBytes, randomUUID } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import pg from 'pg';
import { SMTPServer } from 'smtp-server';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import type { CourseDraft, Published } from '@nudrik/contract';
import { signedToken } from './access/personal-link.ts';
import { makeAssignments } from './assignments/record.ts';
import { insertCourse, keepVersion, saveSections } from './courses/courses.repo.ts';
import { readDraft, saveDraft } from './courses/draft.ts';
import { publishCourse } from './courses/publish.ts';
import { putPlan } from './plans/plans.repo.ts';
import { oneRow, openPool, rows, transaction, type Pool } from './db/db.ts';
import { DIRECTORY, migrate } from './db/migrate.ts';
import type { Clock, Deps } from './deps.ts';
import type { Channel, Handover, Letter } from './messages/channel.ts';
import { putPeople } from './people/people.repo.ts';
import { foldFigures } from './work/figures.ts';

/** A clock that stands where a test puts it. */
export class TestClock implements Clock {
  constructor(public at: number) {}
  now(): number {
    return this.at;
  }
}

/** A mailer that keeps what it was given and answers as it is told. */
export class TestMailer implements Channel {
  readonly name = 'mail';
  readonly width = 5;
  letters: Letter[] = [];
  answer: (letter: Letter) => Handover = () => ({ outcome: 'accepted', response: '250 ok' });
  send(letter: Letter): Promise<Handover> {
    const handover = this.answer(letter);
    if (handover.outcome === 'accepted') this.letters.push(letter);
    return Promise.resolve(handover);
  }
  close(): void {}
}

export interface TestHouse {
  deps: Deps & { clock: TestClock };
  db: Pool;
  clock: TestClock;
  mailer: TestMailer;
  databaseUrl: string;
  close(): Promise<void>;
}

/** What the schema of a test house is made from: another template for other migrations. */
const schemaName = (): string => {
  const digest = createHash('sha256');
  for (const name of readdirSync(DIRECTORY).sort()) digest.update(name).update(readFileSync(join(DIRECTORY, name)));
  return `template_${digest.digest('hex').slice(0, 16)}`;
};

let template: string | null = null;

/** The migrated database that test houses are copied from: made once for a cluster, by whoever comes first. @returns its name */
async function templateOn(admin: pg.Client, base: string): Promise<string> {
  if (template) return template;
  const name = schemaName();
  await admin.query('select pg_advisory_lock(7399)');
  try {
    const { rowCount } = await admin.query('select from pg_database where datname = $1::text', [name]);
    if (rowCount === 0) {
      // under its name only when it is whole
      await admin.query(`drop database if exists ${name}_begun with (force)`);
      await admin.query(`create database ${name}_begun`);
      await migrate(base.replace(/\/[^/]*$/, `/${name}_begun`));
      await admin.query(`alter database ${name}_begun rename to ${name}`);
    }
  } finally {
    await admin.query('select pg_advisory_unlock(7399)');
  }
  return (template = name);
}

/** A database of its own on the cluster of NUDRIK_TEST_DATABASE, migrated, with settings and two sites. */
export async function openTestHouse(now = '2027-03-01T09:30:00Z'): Promise<TestHouse> {
  const base = process.env['NUDRIK_TEST_DATABASE'];
  if (!base) throw new Error('Server tests need a PostgreSQL: run them with npm test, or set NUDRIK_TEST_DATABASE.');
  const name = `t_${randomBytes(6).toString('hex')}`;
  const admin = new pg.Client({ connectionString: base });
  await admin.connect();
  await admin.query(`create database ${name} template ${await templateOn(admin, base)}`);
  const databaseUrl = base.replace(/\/[^/]*$/, `/${name}`);
  const db = openPool(databaseUrl, 6);
  await db.query(
    `insert into settings (organisation, house_zone, house_place, sender_name, sender_address, reply_to, list_id, is_demo)
     values ('Orlasund Ferries', 'Europe/Oslo', 'Orla Quay', 'Safety training', 'training@orlasund.example', 'tora.hauge@orlasund.example',
       'training.orlasund.example', true)`,
  );
  await db.query("insert into sites (name, zone) values ('Orla Quay', 'Europe/Oslo'), ('Tarn Ness', 'Europe/London')");
  await db.query(
    "insert into holidays (site_id, on_date, name) select id, d::date, 'Easter' from sites, unnest(array['2027-03-26', '2027-03-29']) d",
  );
  const clock = new TestClock(Date.parse(now));
  const deps = {
    db,
    clock,
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
      feedHosts: ['127.0.0.1'],
      webDir: null,
      sessionHours: 1,
      idleHours: 1,
      jobAbove: 2_000,
      key: 'the key of the houses that tests make',
      keyFile: '',
      erasedFile: '',
      office: null,
      elsewhere: null,
      logLevel: 'silent',
    },
    log: { info: () => undefined, warn: () => undefined, error: () => undefined },
  };
  return {
    deps,
    db,
    clock,
    databaseUrl,
    mailer: new TestMailer(),
    async close() {
      // whatever a test did, the kept counts say what there is; also once what waits is folded into them
      const ASTRAY = 'select * from figures_astray() limit 10';
      const astray = await rows<{ what: string; kept: number; counted: number }>(db, ASTRAY);
      await foldFigures(db);
      astray.push(...(await rows<(typeof astray)[number]>(db, ASTRAY)));
      await db.end();
      await admin.query(`drop database ${name} with (force)`);
      await admin.end();
      if (astray.length > 0) throw new Error(`Kept counts do not say what there is: ${JSON.stringify(astray)}`);
    },
  };
}

/** The key of the personal link into an assignment, as its person has it. */
export async function linkInto(house: TestHouse, assignment: string): Promise<string> {
  const { token } = await oneRow<{ token: string }>(house.db, 'select token from assignments where id = $1::bigint', [assignment]);
  return signedToken(house.deps.settings.key, 'go', token);
}

/** A mail server that keeps what it took; while it is not open it refuses whoever a mail is to. */
export async function openMailSink(): Promise<{ url: string; mails: string[]; isOpen: boolean; close(): Promise<void> }> {
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    onRcptTo: (_address, _session, done) =>
      done(sink.isOpen ? null : Object.assign(new Error('5.1.1 no such user'), { responseCode: 550 })),
    onData(stream, _session, done) {
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      stream.on(
        'end',
        () => (
          sink.mails.push(
            Buffer.concat(chunks)
              .toString()
              .replace(/=\r?\n/g, ''),
          ),
          done()
        ),
      );
    },
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const sink = {
    url: `smtp://127.0.0.1:${(server.server.address() as { port: number }).port}`,
    mails: [] as string[],
    isOpen: true,
    close: () => new Promise<void>((resolve) => server.close(() => resolve())),
  };
  return sink;
}

/** A small crew: runa and per report to odd, odd to kari (in London time); tora owns the courses. */
export async function makeCrew({ db }: TestHouse): Promise<Record<string, string>> {
  const person = (name: string, manager: string | null, site = 'Orla Quay', department = 'Deck') => ({
    personnelNumber: null,
    name: `${name} Aske`,
    email: `${name.toLowerCase()}@orlasund.example`,
    department,
    site,
    job: 'Deckhand',
    language: null,
    chatName: null,
    managerEmail: manager && `${manager}@orlasund.example`,
    joinedOn: null,
    leftOn: null,
  });
  await transaction(db, (client) =>
    putPeople(client, [
      person('Kari', null, 'Tarn Ness'),
      person('Odd', 'kari'),
      person('Runa', 'odd'),
      person('Per', 'odd'),
      person('Tora', null, 'Orla Quay', 'Office'),
    ]),
  );
  return Object.fromEntries(
    (await rows<{ id: string; email: string }>(db, 'select id, email from people')).map((row) => [row.email.split('@')[0]!, row.id]),
  );
}

export async function makeCourse(
  { db, clock }: TestHouse,
  owner: string | null,
  plan: readonly PlanStep[] = STANDARD_PLAN,
  title = 'Fire Teams Aboard',
): Promise<string> {
  return transaction(db, async (client) => {
    const id = await insertCourse(client, {
      title,
      code: null,
      summary: 'Two teams.',
      ownerId: owner,
      validity: { count: 12, unit: 'months', toMonthEnd: false },
      sections: [],
    });
    const unit = (name: string) => ({
      id: null,
      kind: 'page' as const,
      title: name,
      required: true,
      body: '<p>Read me.</p>',
      url: null,
      fileId: null,
    });
    await saveSections(client, id, [{ id: null, title: 'One', units: [unit('First'), unit('Second')] }]);
    await keepVersion(client, id, clock.now() - 86_400_000, 'Tora Aske');
    await putPlan(client, id, 1, clock.now() - 86_400_000, 'Tora Aske', plan);
    return id;
  });
}

/** Writes in a course and publishes it, as its page does. */
export async function republish(
  house: TestHouse,
  course: string,
  change: (content: CourseDraft) => CourseDraft,
  byWhom = 'Tora Aske',
): Promise<Published> {
  const { content, version } = await readDraft(house.db, course);
  const { version: written } = await saveDraft(house.deps, course, { version, save: randomUUID(), content: change(content) }, byWhom);
  return publishCourse(house.deps, course, written, byWhom);
}

/** Assigns by hand, without the checks of the use case, and asks for planning. */
export async function assignAt({ db, clock }: TestHouse, course: string, people: readonly string[], dueAt: string): Promise<string[]> {
  return transaction(db, async (client) => {
    const drafts = people.map((person) => ({ person, course, assignedAt: clock.now(), dueAt: Date.parse(dueAt) }));
    const { last } = await oneRow<{ last: string }>(client, 'select coalesce(max(id), 0) as last from reconcile', []);
    const made = await makeAssignments(client, drafts, null, { byWhom: 'Sigrid Aune' });
    // planning alone: these tests change people without the use cases, and requirements would see it
    await client.query('delete from reconcile where id > $1::bigint', [last]);
    return made.map(({ id }) => id);
  });
}

/** A delivery report (RFC 3464) as a mail server writes it. @param fields of the message and of its recipient, an empty line between them */
export const reportMail = (fields: readonly string[]): Buffer =>
  Buffer.from(
    [
      'From: postmaster@elsewhere.example',
      'To: training@orlasund.example',
      'Subject: Delivery report',
      'MIME-Version: 1.0',
      'Content-Type: multipart/report; report-type=delivery-status; boundary=b',
      '',
      '--b',
      'Content-Type: text/plain',
      '',
      'About a message of yours.',
      '--b',
      'Content-Type: message/delivery-status',
      '',
      ...fields,
      '',
      '--b--',
      '',
    ].join('\r\n'),
  );
