import type { Writable } from 'node:stream';
import { finished } from 'node:stream/promises';
import type { Account, JobView } from '@nudrik/contract';
import type { Instant } from '@nudrik/core';
import { announce, maybeRow, oneRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import { isPassing } from '../db/failures.ts';
import { dropFileOf, insertFile, openFile } from '../files/files.repo.ts';
import type { Deps } from '../deps.ts';
import { Refused, type RefusalCode } from '../refusal.ts';

/** How long work tells where it is, and ends. */
export interface Work {
  /** @throws Cancelled where somebody asked for that: the transaction around it is taken back */
  at(done: number, total: number): Promise<void>;
  /** What came of it, stored in the transaction that does it: it is never done and not said, or said and not done. */
  finish(client: Client, result: unknown): Promise<void>;
  /** Keeps a file that it made, to be fetched from its page. @returns where */
  keep(file: MadeFile): Promise<string>;
  /** The same of one that is written bit by bit, and never stands in memory. `write` ends what it writes to. */
  keepWritten(file: Pick<MadeFile, 'name' | 'type'>, write: (out: Writable) => Promise<void>): Promise<string>;
}

export interface MadeFile {
  name: string;
  type: string;
  content: Buffer;
}

/** Work that nobody waits for elsewhere. */
export const AT_ONCE: Work = {
  at: () => Promise.resolve(),
  finish: () => Promise.resolve(),
  keep: () => Promise.reject(new Error('Only long work keeps files.')),
  keepWritten: () => Promise.reject(new Error('Only long work keeps files.')),
};

/** One kind of long work. What it returns is the answer that the request would have had. */
export interface JobKind {
  run(deps: Deps, job: { input: never; file: Buffer | null; byWhom: string }, work: Work): Promise<unknown>;
}

export class Cancelled extends Error {}

const INSERT_JOB = `
insert into jobs (kind, words, input, file_id, by_account, by_whom, made_at)
values ($1::text, $2::text, $3::jsonb, $4::bigint, $5::bigint, $6::text, $7::timestamptz)
returning id
`;
const ENQUEUE = "select graphile_worker.add_job('nudrik', json_build_object('job', $1::text), job_key := 'job-' || $1::text)";

export interface NewJob {
  kind: string;
  words: string;
  input: object;
  file?: { name: string; bytes: Buffer };
}

const COUNT_PEOPLE = 'select count(*)::integer as count from people';

/** Whether looking at everyone takes long. */
export const isLarge = async ({ db, settings }: Deps): Promise<boolean> =>
  (await oneRow<{ count: number }>(db, COUNT_PEOPLE)).count > settings.jobAbove;

/** Queues long work in the caller's transaction, for somebody or by itself. @returns its id */
export async function queueJob(client: Client, job: NewJob, account: Account | null, at: Instant): Promise<string> {
  const fileId = job.file ? (await insertFile(client, job.file.name, 'application/octet-stream', job.file.bytes)).id : null;
  const { id } = await oneRow<{ id: string }>(client, INSERT_JOB, [
    job.kind,
    job.words,
    JSON.stringify(job.input),
    fileId,
    account?.id ?? null,
    account?.name ?? 'Nudrik',
    new Date(at),
  ]);
  await client.query(ENQUEUE, [id]);
  await announce(client, 'jobs');
  return id;
}

interface JobRow {
  id: string;
  kind: string;
  words: string;
  input: unknown;
  file: Buffer | null;
  by_whom: string;
}

const CLAIM = `
update jobs j
set state = 'running', started_at = coalesce(started_at, now()), held_by = $2::integer, done = 0
where id = $1::bigint
  and state in ('waiting', 'running')
returning j.id, j.kind, j.words, j.input, j.by_whom, (
  select coalesce(string_agg(f.content, '' order by f.start), '') from file_parts f where f.file_id = j.file_id having j.file_id is not null
) as file
`;
const TELL = `
update jobs
set done = $2::integer, total = $3::integer
where id = $1::bigint
returning cancel_asked
`;
const FINISH = `
update jobs
set state = 'done', result = $2::jsonb, done = coalesce(total, done), ended_at = now(), held_by = null
where id = $1::bigint
  and state = 'running'
  and held_by is not distinct from $3::integer
returning id
`;
const KEEP_FILE = 'update jobs set result_file_id = $2::bigint where id = $1::bigint';
const END = `
update jobs
set state = $2::text, refusal = $3::jsonb, ended_at = case when $2::text <> 'waiting' then now() end, held_by = null
where id = $1::bigint
  and state = 'running'
  and held_by is not distinct from $4::integer
`;

/**
 * Runs one job. Work that is refused, cancelled or broken has ended; where the database went away, or we are told to stop, it
 * waits for its next try.
 * @throws what passes, so that the queue tries it again
 */
export async function runJob(
  deps: Deps,
  kinds: Readonly<Record<string, JobKind>>,
  id: string,
  worker: number | null,
  isStopping = (): boolean => false,
): Promise<void> {
  const job = await maybeRow<JobRow>(deps.db, CLAIM, [id, worker]);
  if (!job) return; // cancelled while it waited, or done by who held it
  let isFinished = false;
  const work: Work = {
    async at(done, total) {
      if (isStopping()) throw new Stopping('The worker stops.');
      // on a connection of its own: it is seen while the work's own transaction is open
      if ((await oneRow<{ cancel_asked: boolean }>(deps.db, TELL, [id, done, total])).cancel_asked) throw new Cancelled();
      await announce(deps.db, 'jobs');
    },
    async finish(client, result) {
      isFinished = true;
      if ((await rows(client, FINISH, [id, JSON.stringify(result ?? null), worker])).length === 0)
        throw new Stopping('Another worker has taken this work up.');
    },
    async keep({ name, type, content }) {
      const { id: fileId } = await transaction(deps.db, (client) => insertFile(client, name, type, content));
      await deps.db.query(KEEP_FILE, [id, fileId]);
      return `/api/jobs/${id}/file`;
    },
    async keepWritten(file, write) {
      const { id: fileId, out } = await openFile(deps.db, id, file);
      await deps.db.query(KEEP_FILE, [id, fileId]);
      try {
        // one that is cancelled ends both, and both are waited for
        await Promise.all([write(out), finished(out)]);
      } catch (error) {
        await dropFileOf(deps.db, id);
        throw error;
      }
      return `/api/jobs/${id}/file`;
    },
  };
  const end = async (state: string, refusal: object | null): Promise<void> => {
    await deps.db.query(END, [id, state, refusal && JSON.stringify(refusal), worker]);
  };
  try {
    const kind = kinds[job.kind];
    if (!kind) throw new Refused('broken', `Nobody knows work of the kind ${job.kind}.`);
    const result = await kind.run(deps, { input: job.input as never, file: job.file, byWhom: job.by_whom }, work);
    if (!isFinished) await deps.db.query(FINISH, [id, JSON.stringify(result ?? null), worker]);
  } catch (error) {
    if (error instanceof Cancelled) await end('cancelled', null);
    else if (error instanceof Refused) await end('failed', { code: error.code, message: error.message, details: error.details ?? [] });
    else if (error instanceof Stopping || isPassing(error)) {
      await end('waiting', null).catch(() => undefined);
      throw error;
    } else {
      deps.log.error({ job: id, kind: job.kind, error: (error as Error).stack }, 'Long work broke.');
      await end('failed', { code: 'broken' satisfies RefusalCode, message: 'Something went wrong on our side; nothing was changed.' });
    }
  }
  await announce(deps.db, 'jobs');
}

class Stopping extends Error {}

const LIST_LOST = `
select j.id
from jobs j
where j.state = 'running'
  and not exists (select 1 from workers w where w.id = j.held_by and w.until > now())
`;
const UNLOCK = `
select graphile_worker.force_unlock_workers(array(
  select q.locked_by from graphile_worker.jobs q where q.key = any($1::text[]) and q.locked_by is not null
))
`;

// what it worked on and what came of it are kept for a day, a file that it made and that there was such work for a month
const FORGET_OLD = `
with used as (
  select id, file_id from jobs where ended_at < now() - interval '1 day' and file_id is not null
),
forgotten as (
  delete from jobs where ended_at < now() - interval '30 days' returning result_file_id
),
emptied as (
  update jobs
  set file_id = null, result = case when result_file_id is not null then result end
  where ended_at between now() - interval '30 days' and now() - interval '1 day'
    and (file_id is not null or result is not null)
)
delete from files
where id in (select file_id from used union select result_file_id from forgotten)
`;

/** Forgets what long work left behind. */
export const forgetOldJobs = (db: Queryable): Promise<unknown> => db.query(FORGET_OLD);

/** Work whose worker is gone is taken up again. */
export async function freeLostJobs(db: Queryable): Promise<void> {
  const lost = await rows<{ id: string }>(db, LIST_LOST);
  if (lost.length > 0) await db.query(UNLOCK, [lost.map(({ id }) => `job-${id}`)]);
}

const VIEW = `
select
  id, kind, words, state, done, total, result, refusal, cancel_asked as "isCancelling", by_whom as "byWhom", made_at as "madeAt",
  ended_at as "endedAt", result_file_id as "fileId", by_account is not null and state in ('waiting', 'running') as "canCancel"
from jobs
`;
const OF_ACCOUNT = 'and ($1::bigint is null or by_account = $1::bigint)';

/** Administrators see everybody's, everyone else their own. */
const whose = (account: Account): string | null => (account.role === 'administrator' ? null : account.id);

export async function findJob(db: Queryable, id: string, account: Account): Promise<JobView> {
  const job = await maybeRow<JobView>(db, `${VIEW} where id = $2::bigint ${OF_ACCOUNT}`, [whose(account), id]);
  if (!job) throw new Refused('not-found', 'There is no such work, or not any more.');
  return job;
}

/** The newest, without what came of them. */
export const listJobs = async (db: Queryable, account: Account): Promise<JobView[]> =>
  (await rows<JobView>(db, `${VIEW} where true ${OF_ACCOUNT} order by id desc limit 50`, [whose(account)])).map((job) => ({
    ...job,
    result: null,
  }));

const CANCEL = `
update jobs
set
  cancel_asked = true, state = case when state = 'waiting' then 'cancelled' else state end,
  ended_at = case when state = 'waiting' then now() else ended_at end
where id = $1::bigint
  and state in ('waiting', 'running')
  and by_account is not null
`;

/** Ends work that waits, and asks work that runs to end where it can: what it did so far is taken back. */
export async function cancelJob(db: Queryable, id: string, account: Account): Promise<JobView> {
  await findJob(db, id, account);
  await db.query(CANCEL, [id]);
  await announce(db, 'jobs');
  return findJob(db, id, account);
}
