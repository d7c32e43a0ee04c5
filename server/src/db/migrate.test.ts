import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { standingAt } from '@nudrik/core';
import { findIdByLink } from '../assignments/assignments.repo.ts';
import { signedToken } from '../access/personal-link.ts';
import { intervalRows, readingOf } from '../assignments/record.ts';
import { listRecords } from '../assignments/events.repo.ts';
import { openPool, rows, type Pool } from './db.ts';
import { DatabaseAway, isPassing } from './failures.ts';
import { migrate, whileThere } from './migrate.ts';

/**
 * A house that the version before made and worked in: the demo at migration 0002, with two extensions of which one was taken
 * back, a waiver taken back, a withdrawal and a recorded completion. Letters are cut short.
 */
let db: Pool;
let before: Record<string, unknown>[] = [];
const STATE = `
select id, due_at, closed_by, started_at is not null as is_started, (select array_agg(u order by u) from unnest(units_done) u) as units_done
from assignments
order by id
`;

let handedOut: { id: string; token: string }[] = [];
const HANDED_OUT =
  'select a.id, a.token from assignments a join people p on p.id = a.person_id where p.left_on is null and a.closed_by is null order by a.id';

beforeAll(async () => {
  const base = process.env['NUDRIK_TEST_DATABASE']!;
  const name = `t_old_${randomBytes(4).toString('hex')}`;
  const admin = new pg.Client({ connectionString: base });
  await admin.connect();
  await admin.query(`create database ${name}`);
  await admin.end();
  const url = base.replace(/\/[^/]*$/, `/${name}`);
  const dump = gunzipSync(readFileSync(new URL('fixtures/house-at-0002.sql.gz', import.meta.url)));
  execFileSync('psql', ['-X', '-q', '-v', 'ON_ERROR_STOP=1', url], { input: dump, stdio: ['pipe', 'ignore', 'inherit'] });
  db = openPool(url, 2);
  before = await rows(db, STATE);
  handedOut = await rows(db, HANDED_OUT);
  await migrate(url);
}, 120_000);
afterAll(() => db.end());

describe('a house of the version before', () => {
  it('is brought up, and each assignment stands as it stood', async () => {
    expect(await rows(db, 'select 1 from unread_assignments')).toEqual([]);
    const after = await rows(db, STATE);
    expect(after.length).toBeGreaterThan(700);
    expect(after).toEqual(before);
  });
  it('has what was taken back as events that name what they take back', async () => {
    const undone = await rows(
      db,
      'select e.type, b.type as back from assignment_events e join assignment_events b on b.id = e.undoes order by e.id',
    );
    expect(undone).toEqual([
      { type: 'undone', back: 'extended' },
      { type: 'undone', back: 'waived' },
    ]);
    expect(await rows(db, "select 1 from assignment_events where type in ('extension-undone', 'recorded')")).toEqual([]);
  });
  it('has columns and intervals that are the reading of its events', async () => {
    const ids = before.map(({ id }) => id as string);
    const records = await listRecords(db, ids);
    expect(records).toHaveLength(ids.length);
    for (const record of records) {
      expect(record.events.filter(({ type }) => type === 'assigned')).toHaveLength(1);
      expect(readingOf(record).dueAt).toBe(standingAt(record, Infinity).dueAt);
    }
    const [{ count }] = (await rows(db, 'select count(*)::integer as count from assignment_intervals')) as [{ count: number }];
    expect(count).toBe(records.flatMap(intervalRows).length);
  });
  it('has a completion that was recorded at its own date', async () => {
    const [recorded] = await rows<{ completed_on: string; on: string; closed_at: Date }>(db, "select a.completed_on, e.data ->> 'on' as on, a.closed_at from assignments a join assignment_events e on e.assignment_id = a.id and e.type = 'finished' where a.completed_on is not null"); // prettier-ignore
    expect(recorded).toMatchObject({ completed_on: '2026-04-01', on: '2026-04-01' });
    expect(recorded!.closed_at.toISOString()).toMatch(/^2026-03-31T2[23]:00/);
  });
  it('has no link any more that opens something, and those that were handed out still open what they opened', async () => {
    expect(handedOut.length).toBeGreaterThan(50);
    const kept = new Map(
      (await rows<{ id: string; token: string }>(db, 'select id, token from assignments')).map(({ id, token }) => [id, token]),
    );
    const now = Date.parse('2026-05-11T07:00Z');
    for (const { id, token } of handedOut.slice(0, 20)) {
      expect(await findIdByLink(db, 'a key', token, now)).toBe(id);
      expect(kept.get(id)).toBe(token.slice(0, 16));
      expect(await findIdByLink(db, 'a key', kept.get(id)!, now)).toBeNull();
      expect(await findIdByLink(db, 'a key', signedToken('a key', 'go', kept.get(id)!), now)).toBe(id);
      expect(await findIdByLink(db, 'another key', signedToken('a key', 'go', kept.get(id)!), now)).toBeNull();
    }
    expect(await rows(db, "select id from messages where html ~ '/go/[A-Za-z0-9_-]{32}' or body ~ '/go/[A-Za-z0-9_-]{32}'")).toEqual([]);
  });
  it('is counted: what is kept for the pages says what there is', async () => {
    expect(await rows(db, 'select * from figures_astray()')).toEqual([]);
    const [{ notices, standings }] = (await rows<{ notices: number; standings: number }>(
      db,
      'select (select sum(count)::integer from notice_sums) as notices, (select count(*)::integer from standings) as standings',
    )) as [{ notices: number; standings: number }];
    expect([notices > 0, standings > 0]).toEqual([true, true]);
  });

  it('keeps every message, each with what came of it', async () => {
    const [count] = await rows<Record<string, number>>(db, 'select (select count(*) from messages)::integer as messages, (select count(distinct message_id) from deliveries)::integer as delivered, (select count(*) from notices where message_id is not null)::integer as notices'); // prettier-ignore
    expect(count!['messages']).toBeGreaterThan(2_000);
    expect(count!['delivered']).toBe(count!['messages']);
    expect(await rows(db, "select 1 from notices n join deliveries d on d.message_id = n.message_id where n.state = 'delivered' and (d.outcome <> 'accepted' or d.delivered_at is null)")).toEqual([]); // prettier-ignore
  });
});

describe('work at the start', () => {
  const url = process.env['NUDRIK_TEST_DATABASE']!;
  const never = new Promise<never>(() => undefined);
  it('comes to its end while the database is there', async () => {
    expect(await whileThere(url, Promise.resolve('done'))).toBe('done');
    await expect(whileThere(url, Promise.reject(new Error('a migration is wrong')))).rejects.toThrow('a migration is wrong');
  });
  it('that would wait for ever for a database that is gone is given up, to begin anew', async () => {
    await expect(whileThere('postgres://nudrik@127.0.0.1:1/nudrik', never)).rejects.toThrow(DatabaseAway);
  });
  it('is told by itself what else is wrong, such as a database that there is not', async () => {
    const nowhere = url.replace(/\/[^/]*$/, '/nowhere_at_all');
    await expect(whileThere(nowhere, migrate(nowhere))).rejects.toThrow('"nowhere_at_all" does not exist');
  });
});

describe('a migration', () => {
  it('whose connection is cut fails in words and ends nothing else', async () => {
    const base = process.env['NUDRIK_TEST_DATABASE']!;
    const name = `t_cut_${randomBytes(4).toString('hex')}`;
    const admin = new pg.Client({ connectionString: base });
    await admin.connect();
    await admin.query(`create database ${name}`);
    const url = base.replace(/\/[^/]*$/, `/${name}`);
    const other = new pg.Client({ connectionString: url });
    await other.connect();
    await other.query('select pg_advisory_lock(7241865325823964)'); // as another process that migrates holds it
    const waiting = migrate(url).then(
      () => null,
      (error: Error) => error,
    );
    const cut = 'select pg_terminate_backend(pid) from pg_stat_activity where datname = $1 and wait_event_type = $2';
    await expect.poll(async () => (await admin.query(cut, [name, 'Lock'])).rowCount, { timeout: 10_000 }).toBe(1);
    expect(isPassing(await waiting)).toBe(true); // it is tried again
    await other.end();
    await migrate(url);
    await admin.query(`drop database ${name} with (force)`);
    await admin.end();
  });
});

describe('a house that is made', () => {
  it('by many processes at once is made once', async () => {
    const base = process.env['NUDRIK_TEST_DATABASE']!;
    const name = `t_new_${randomBytes(4).toString('hex')}`;
    const admin = new pg.Client({ connectionString: base });
    await admin.connect();
    await admin.query(`create database ${name}`);
    const url = base.replace(/\/[^/]*$/, `/${name}`);
    await Promise.all([migrate(url), migrate(url), migrate(url)]);
    const made = openPool(url, 1);
    expect(await rows(made, 'select count(*)::integer as queued from graphile_worker.jobs')).toEqual([{ queued: 0 }]);
    await made.end();
    await admin.query(`drop database ${name} with (force)`);
    await admin.end();
  });
});

const LIST_SHADOWED = `
select f.name || ' reads ' || c.table_name || '.' || f.parameter as shadowed
from (
  select p.proname as name, p.prosrc as source, a.name as parameter
  from pg_proc p
  join pg_language l on l.oid = p.prolang and l.lanname = 'sql'
  cross join lateral unnest(p.proargnames) with ordinality a (name, n)
  where p.pronamespace = 'public'::regnamespace
    and (p.proargmodes is null or p.proargmodes[a.n] = 'i')
) f
join information_schema.columns c on c.table_schema = 'public' and c.column_name = f.parameter
where f.source ~ ('\\y(from|join) ' || c.table_name || '\\y')
  and f.source ~ ('(?<![.\\w])' || f.parameter || '\\y')
`;
it('no function reads a column of a table where its parameter of that name is meant', async () => {
  expect(await rows(db, LIST_SHADOWED)).toEqual([]);
});
