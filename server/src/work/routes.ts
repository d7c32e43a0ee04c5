import type { JobBegun } from '@nudrik/contract';
import { transaction } from '../db/db.ts';
import { findFileHead } from '../files/files.repo.ts';
import { sendStored } from '../files/stored.ts';
import { Refused } from '../refusal.ts';
import { get, idOf, type Call, type Route } from '../route.ts';
import { cancelJob, findJob, listJobs, queueJob, type NewJob } from './jobs.ts';

/** Queues long work and answers 202 with its id. */
export async function later(call: Call, job: NewJob): Promise<JobBegun> {
  const id = await transaction(call.deps.db, (client) => queueJob(client, job, call.account!, call.deps.clock.now()));
  call.res.status(202);
  return { job: id };
}

/** Does it now, where that is quick, and answers with what comes of it; queues it where it is not. */
export const nowOrLater = async (
  call: Call,
  isLong: boolean | Promise<boolean>,
  job: NewJob,
  now: () => Promise<unknown>,
): Promise<unknown> => ((await isLong) ? later(call, job) : now());

export const jobRoutes: Route[] = [
  get('/api/jobs', (call) => listJobs(call.deps.db, call.account!), 'signed-in'),
  get('/api/jobs/:id', (call) => findJob(call.deps.db, idOf(call), call.account!), 'signed-in'),
  get(
    '/api/jobs/:id/file',
    async (call) => {
      const { fileId } = await findJob(call.deps.db, idOf(call), call.account!);
      const file = fileId === null ? null : await findFileHead(call.deps.db, fileId, ['house', 'course', 'proof']);
      if (!file) throw new Refused('not-found', 'This work made no file.');
      return sendStored(call.res, call.deps.db, file);
    },
    'signed-in',
  ),
  {
    method: 'post',
    path: '/api/jobs/:id/cancel',
    access: 'signed-in',
    handle: (call) => cancelJob(call.deps.db, idOf(call), call.account!),
  },
];
