import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Account, JobView } from '@nudrik/contract';
import { rows, transaction } from '../db/db.ts';
import type { JobKind, Work } from './jobs.ts';
import { cancelJob, findJob, freeLostJobs, listJobs, queueJob, runJob } from './jobs.ts';
import { Refused } from '../refusal.ts';
import { openTestHouse, type TestHouse } from '../testing.ts';
import { startJobs } from './run-jobs.ts';

let house: TestHouse;
let account: Account;
beforeAll(async () => {
  house = await openTestHouse();
  const [row] = await rows<{ id: string }>(
    house.db,
    "insert into accounts (email, name, role) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator'), ('tora@orlasund.example', 'Tora', 'trainer') returning id",
  );
  account = { id: row!.id, role: 'administrator', name: 'Sigrid Aune', email: 'sigrid@orlasund.example', personId: null };
});
afterAll(() => house.close());

const kinds = (run: (work: Work, input: { n: number }) => Promise<unknown>): Record<string, JobKind> => ({
  count: { run: (_deps, { input }, work) => run(work, input) },
});
const queue = (kind = 'count'): Promise<string> =>
  transaction(house.db, (client) => queueJob(client, { kind, words: 'Counting', input: { n: 3 } }, account, house.clock.at));
const find = (id: string): Promise<JobView> => findJob(house.db, id, account);

describe('long work', () => {
  it('is told while it goes on, and keeps what came of it', async () => {
    const id = await queue();
    expect(await find(id)).toMatchObject({ state: 'waiting', done: 0, total: null, byWhom: 'Sigrid Aune' });
    let seen: JobView | null = null;
    await runJob(
      house.deps,
      kinds(async (work, { n }) => {
        await work.at(1, n);
        seen = await find(id);
        return { counted: n };
      }),
      id,
      null,
    );
    expect(seen).toMatchObject({ state: 'running', done: 1, total: 3 });
    expect(await find(id)).toMatchObject({ state: 'done', done: 3, total: 3, result: { counted: 3 } });
  });

  it('that is cancelled is taken back whole; what waits never begins', async () => {
    const waiting = await queue();
    await cancelJob(house.db, waiting, account);
    await runJob(
      house.deps,
      kinds(() => Promise.reject(new Error('it ran'))),
      waiting,
      null,
    );
    expect(await find(waiting)).toMatchObject({ state: 'cancelled' });

    const running = await queue();
    const work = kinds((told) =>
      transaction(house.db, async (client) => {
        await client.query("insert into groups (name) values ('Half done')");
        await cancelJob(house.db, running, account);
        await told.at(1, 2);
      }),
    );
    await runJob(house.deps, work, running, null);
    expect(await find(running)).toMatchObject({ state: 'cancelled', isCancelling: true });
    expect(await rows(house.db, "select 1 from groups where name = 'Half done'")).toEqual([]);
  });

  it('that is refused says why, that breaks says so without our inside', async () => {
    const refused = await queue();
    await runJob(
      house.deps,
      kinds(() => Promise.reject(new Refused('stale', 'Somebody was quicker.'))),
      refused,
      null,
    );
    expect(await find(refused)).toMatchObject({ state: 'failed', refusal: { code: 'stale', message: 'Somebody was quicker.' } });
    const broken = await queue();
    await runJob(
      house.deps,
      kinds(() => Promise.reject(new TypeError('x is undefined'))),
      broken,
      null,
    );
    const { state, refusal } = await find(broken);
    expect(state).toBe('failed');
    expect(JSON.stringify(refusal)).not.toContain('undefined');
    const unknown = await queue('no-such-kind');
    await runJob(
      house.deps,
      kinds(() => Promise.resolve()),
      unknown,
      null,
    );
    expect(await find(unknown)).toMatchObject({ state: 'failed' });
  });

  it('whose database goes away waits for its next try, and is done once', async () => {
    const id = await queue();
    const away = Object.assign(new Error('terminating connection'), { code: '57P01' });
    await expect(
      runJob(
        house.deps,
        kinds(() => Promise.reject(away)),
        id,
        null,
      ),
    ).rejects.toBe(away);
    expect(await find(id)).toMatchObject({ state: 'waiting' });
    await runJob(
      house.deps,
      kinds(() => Promise.resolve('done')),
      id,
      null,
    );
    await runJob(
      house.deps,
      kinds(() => Promise.resolve('twice')),
      id,
      null,
    );
    expect(await find(id)).toMatchObject({ state: 'done', result: 'done' });
  });

  it('whose worker stood still is not done twice: who took it up has it', async () => {
    const id = await queue();
    await expect(
      runJob(
        house.deps,
        kinds((work) =>
          transaction(house.db, async (client) => {
            await client.query("insert into groups (name) values ('By the first')");
            await runJob(
              house.deps,
              kinds(() => Promise.resolve('second')),
              id,
              2,
            );
            await work.finish(client, 'first');
          }),
        ),
        id,
        1,
      ),
    ).rejects.toThrow('Another worker');
    expect(await find(id)).toMatchObject({ state: 'done', result: 'second' });
    expect(await rows(house.db, "select 1 from groups where name = 'By the first'")).toEqual([]);
  });

  it('is seen by who asked for it and by administrators', async () => {
    const id = await queue();
    const tora: Account = { ...account, id: String(Number(account.id) + 1), role: 'trainer', name: 'Tora' };
    await expect(findJob(house.db, id, tora)).rejects.toMatchObject({ code: 'not-found' });
    await expect(cancelJob(house.db, id, tora)).rejects.toMatchObject({ code: 'not-found' });
    expect(await listJobs(house.db, tora)).toEqual([]);
    expect((await listJobs(house.db, account)).map((job) => job.id)).toContain(id);
  });

  it('is run by a worker as it is queued, and taken up where its worker is gone', async () => {
    const ended = async (id: string): Promise<JobView> => {
      for (;;) {
        const job = await find(id);
        if (job.state !== 'waiting' && job.state !== 'running') return job;
        await new Promise((resolve) => setTimeout(resolve, 20));
      }
    };
    const stop = startJobs(house.deps, () => 7);
    const id = await queue('no-such-kind');
    expect(await ended(id)).toMatchObject({ state: 'failed' });
    await stop();

    // a worker that was killed in the midst of it: its row says so, and the queue holds it for somebody
    const lost = await queue('no-such-kind');
    await house.db.query("update jobs set state = 'running', held_by = 4711 where id = $1", [lost]);
    await house.db.query("update graphile_worker._private_jobs set locked_at = now(), locked_by = 'gone', attempts = 1 where key = $1", [
      `job-${lost}`,
    ]);
    const stopAgain = startJobs(house.deps, () => 8);
    await freeLostJobs(house.db);
    expect(await ended(lost)).toMatchObject({ state: 'failed' });
    await stopAgain();
  });
});
