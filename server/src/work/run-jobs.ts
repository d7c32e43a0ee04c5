import { run } from 'graphile-worker';
import { rows } from '../db/db.ts';
import { QUIET } from '../db/migrate.ts';
import type { Deps } from '../deps.ts';
import { JOB_KINDS } from './job-kinds.ts';
import { runJob } from './jobs.ts';

/**
 * Runs long work as it is queued, one at a time.
 * @param worker the lease of this process, by which work that was cut off is known
 * @returns how to stop: work that runs is taken back and waits for its next try
 */
export async function startJobs(deps: Deps, worker: () => number | null): Promise<() => Promise<void>> {
  let isStopping = false;
  const runner = await run({
    pgPool: deps.db,
    concurrency: 1,
    pollInterval: 2_000,
    noHandleSignals: true,
    logger: QUIET,
    taskList: {
      nudrik: async (payload) => {
        const held = worker();
        if (isStopping || held === null) throw new Error('No lease is held at this moment.');
        await runJob(deps, JOB_KINDS, String((payload as { job: unknown }).job), held, () => isStopping);
      },
    },
  });
  runner.promise.catch((error: Error) => deps.log.error({ error: error.stack }, 'The queue of long work ended.'));
  return async () => {
    isStopping = true;
    await runner.stop().catch(() => undefined);
  };
}

const LIST_WAITING = "select id from jobs where state = 'waiting' order by id";

/** Runs what waits, here and now. @returns how many */
export async function drainJobs(deps: Deps): Promise<number> {
  const waiting = await rows<{ id: string }>(deps.db, LIST_WAITING);
  for (const { id } of waiting) await runJob(deps, JOB_KINDS, id, null);
  return waiting.length;
}
