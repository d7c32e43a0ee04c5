import { randomBytes } from 'node:crypto';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openPostRoom } from '@nudrik/standins';
import { simpleParser } from 'mailparser';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openKey, openPool, readLink, reconcileWaiting, rows, type Deps, type Pool } from 'nudrik';
import { startInstant } from './history.ts';
import { putMails } from './mails.ts';
import { maybeBuild } from './maybe-build.ts';

/** The demo as it is made in a database. */
let db: Pool;
let databaseUrl = '';
const count = async (sql: string): Promise<number> =>
  (await rows<{ count: number }>(db, `select count(*)::integer as count ${sql}`))[0]!.count;

beforeAll(async () => {
  const base = process.env['NUDRIK_TEST_DATABASE'];
  if (!base) throw new Error('This test needs a PostgreSQL: run it with npm test, or set NUDRIK_TEST_DATABASE.');
  const name = `t_demo_${randomBytes(4).toString('hex')}`;
  const admin = new pg.Client({ connectionString: base });
  await admin.connect();
  await admin.query(`create database ${name}`);
  await admin.end();
  databaseUrl = base.replace(/\/[^/]*$/, `/${name}`);
  expect(await maybeBuild(databaseUrl, { baseUrl: 'http://nudrik.example', feedUrl: 'http://127.0.0.1:1/people', isTicking: false })).toBe(
    true,
  );
  db = openPool(databaseUrl, 2);
}, 120_000);
afterAll(() => db.end());

it('its mails lie in the post room as they arrived, with links that open, and nothing that was left unfilled', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'demo-mails-'));
  const keyFile = join(folder, 'key');
  const count = await putMails(databaseUrl, { folder: join(folder, 'room'), keyFile });
  expect(count).toBeGreaterThan(300);
  const room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0, folder: join(folder, 'room') });
  try {
    expect(room.mails).toHaveLength(count);
    const moments = room.mails.map(({ receivedAt }) => receivedAt);
    expect([...moments].sort().reverse()).toEqual(moments);
    const some = room.mails.filter((_, i) => i % 40 === 0);
    for (const { id, to } of some) {
      const mail = await simpleParser((await room.raw(id))!);
      expect(mail.to && !Array.isArray(mail.to) ? mail.to.value[0]!.address : '').toBe(to);
      expect(`${mail.subject} ${mail.text}`).not.toMatch(/undefined|null|NaN|\{[a-z ]+\}/);
      for (const [, kind, link] of mail.text!.matchAll(/\/(go|team)\/([\w-]+)/g))
        expect(readLink(openKey(keyFile), kind as 'go', link!).token).not.toBeNull();
    }
  } finally {
    await room.close();
    await rm(folder, { recursive: true });
  }
}, 60_000);

describe('the demo', () => {
  it('is made once; at the next start only the feed’s address is new', async () => {
    expect(
      await maybeBuild(databaseUrl, { baseUrl: 'http://nudrik.example', feedUrl: 'http://127.0.0.1:2/people', isTicking: false }),
    ).toBe(false);
    expect(await rows(db, 'select url from feed')).toEqual([{ url: 'http://127.0.0.1:2/people' }]);
  });
  it('holds what it promises', async () => {
    expect(await count('from people')).toBe(246);
    expect(await count('from departments where parent_id is not null')).toBe(6);
    expect(await count('from requirements where is_on')).toBe(3);
    expect(await count('from requirements where not is_on and switched_on_at is null')).toBe(1);
    expect(await count('from feed_rows')).toBe(246);
    expect(await count("from certificates where expires_on < '2026-05-06'")).toBe(3);
    expect(await count('from group_members')).toBeGreaterThan(20);
    // a quiz with a pool, taken by many; whoever passed it has it done, and was in as many tries as stand there
    expect(await count('from quiz_attempts where is_passed')).toBeGreaterThan(20);
    expect(await count('from quiz_attempts where not is_passed')).toBeGreaterThan(5);
    expect(
      await count(
        'from quiz_attempts q join assignments a on a.id = q.assignment_id where q.is_passed and not q.unit_id = any(a.units_done)',
      ),
    ).toBe(0);
    expect(await count('from units where release is not null')).toBe(2);
    // one stands on each rung of the ladder
    for (const step of ['to-manager', 'further-up', 'to-owner', 'to-director']) expect(await count(`from notices n join assignments a on a.id = n.assignment_id and a.closed_by is null where n.step_id = '${step}' and n.state = 'delivered'`)).toBeGreaterThan(0); // prettier-ignore
    // sessions: one that took place, one that is full and waited for
    expect(await count('from training_sessions')).toBe(4);
    expect(await count("from seats where state = 'waiting'")).toBe(1);
    // what was signed off came out in each way, and finished nobody who did not meet it
    for (const outcome of ['met', 'not-met', 'absent'])
      expect(await count(`from sign_offs where outcome = '${outcome}'`)).toBeGreaterThan(2);
    expect(await count("from sign_offs o join assignments a on a.id = o.assignment_id where a.closed_by = 'finished' and o.session_id is null and not o.unit_id = any(a.units_done)")).toBe(0); // prettier-ignore
    expect(await count("from notices where step_id like 'signed-%' and state in ('sent', 'delivered')")).toBeGreaterThan(10);
  });
  it('is true to its own requirements: looking at everyone assigns nobody and withdraws nothing', async () => {
    const before = await rows(db, 'select id, due_at, closed_by from assignments order by id');
    const deps = { db, clock: { now: () => startInstant() } } as unknown as Deps;
    let looked = 0;
    for (let batch = await reconcileWaiting(deps); batch > 0; batch = await reconcileWaiting(deps)) looked += batch;
    expect(looked).toBe(246);
    expect(await rows(db, 'select id, due_at, closed_by from assignments order by id')).toEqual(before);
    // the intake joins on Monday, renewals come in their time
    expect(await count("from wakes where at < '2026-05-12'")).toBeGreaterThanOrEqual(38);
    expect(await count('from assignment_reasons where out_since is not null')).toBe(0);
  });
});
