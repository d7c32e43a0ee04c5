import { run, type Runner } from 'graphile-worker';
import { openPool, rows } from '../db/db.ts';
import { QUIET } from '../db/migrate.ts';
import type { Deps } from '../deps.ts';
import { JOB_KINDS } from './job-kinds.ts';
import { runJob } from './jobs.ts';

/** How long after its end the queue begins anew: a database that is away for long ends it. */
const AGAIN_MS = 5_000;

/**
 * Runs long work as it is queued, one at a time, from when the database answers, and again whenever it does again.
 * @param worker the lease of this process, by which work that was cut off is known
 * @returns how to stop: work that runs is taken back and waits for its next try
 */
export function startJobs(deps: Deps, worker: () => number | null): () => Promise<void> {
  let isStopping = false;
  let runner: Runner | null = null;
  let timer: NodeJS.Timeout | undefined;
  // the queue listens on a connection of its own
  const { databaseUrl, directUrl } = deps.settings;
  const own = directUrl === databaseUrl ? null : openPool(directUrl, 3);
  const live = async (): Promise<void> => {
    try {
      runner = await run({
        pgPool: own ?? deps.db,
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
      if (isStopping) return await runner.stop();
      await runner.promise;
    } catch (error) {
      if (!isStopping) deps.log.warn({ reason: (error as Error).message }, 'The queue of long work ended; it begins anew.');
    }
    runner = null;
    if (!isStopping) timer = setTimeout(() => (life = live()), AGAIN_MS);
  };
  let life = live();
  return async () => {
    isStopping = true;
    clearTimeout(timer);
    await runner?.stop().catch(() => undefined);
    await life.catch(() => undefined);
    await own?.end();
  };
}

const LIST_WAITING = "select id from jobs where state = 'waiting' order by id";

/** Runs what waits, here and now. @returns how many */
export async function drainJobs(deps: Deps): Promise<number> {
  const waiting = await rows<{ id: string }>(deps.db, LIST_WAITING);
  for (const { id } of waiting) await runJob(deps, JOB_KINDS, id, null);
  return waiting.length;
}
