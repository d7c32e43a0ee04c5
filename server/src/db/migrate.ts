import { fileURLToPath } from 'node:url';
import { existsSync } from 'node:fs';
import pg from 'pg';
import { Logger, runMigrations } from 'graphile-worker';
import { runner } from 'node-pg-migrate';
import { readWhatIsUnread } from '../assignments/record.ts';
import { openPool } from './db.ts';
import { DatabaseAway, isPassing } from './failures.ts';

/** The folder of numbered migrations, beside the sources and beside the bundle. */
export const DIRECTORY = [new URL('../../migrations', import.meta.url), new URL('../migrations', import.meta.url)]
  .map((url) => fileURLToPath(url))
  .find((path) => existsSync(path))!;

/** The queue of long work tells nothing of what it does; what fails in it is told by us. */
export const QUIET = new Logger(() => () => undefined);

/** Brings the database to the newest migration; does nothing when it is there. */
export async function migrate(databaseUrl: string): Promise<void> {
  await withClient(databaseUrl, (dbClient) =>
    runner({
      dbClient,
      dir: DIRECTORY,
      direction: 'up',
      migrationsTable: 'migrations',
      log: () => undefined,
      singleTransaction: true,
      advisoryLockMode: 'wait',
    }),
  );
  await migrateQueue(databaseUrl);
  const db = openPool(databaseUrl, 1);
  try {
    await readWhatIsUnread(db);
  } finally {
    await db.end();
  }
}

/** A connection of its own for what may take long. Without a listener one that is lost meanwhile would end the process. */
export async function withClient<T>(databaseUrl: string, work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client({ connectionString: databaseUrl });
  let lost: Error | null = null;
  client.on('error', (error) => (lost = error));
  try {
    await client.connect().catch((error: Error & { code?: string }) => {
      lost ??= error.code === undefined ? error : null; // it went away while it was asked
      throw error;
    });
    return await work(client);
  } catch (error) {
    // whatever went wrong for want of the database is tried again; anything else is told
    throw lost ? new DatabaseAway((lost as Error).message, { cause: error }) : error;
  } finally {
    await client.end().catch(() => undefined);
  }
}

/** first key of the advisory lock under which the tables of the queue are made: many processes start at once */
const QUEUE_LOCK = 7_310;
const LOCK = 'select pg_advisory_lock($1::integer, 0)';

/** Brings the tables of the queue of long work to what its library expects. */
const migrateQueue = (databaseUrl: string): Promise<void> =>
  withClient(databaseUrl, async (client) => {
    await client.query(LOCK, [QUEUE_LOCK]);
    const pool = openPool(databaseUrl, 2);
    try {
      await runMigrations({ pgPool: pool, logger: QUIET });
    } finally {
      await pool.end();
    }
  });

const STARTED_AT = 'select pg_postmaster_start_time()::text as at';

/** When the database was started. @throws where it does not answer */
async function startedAt(databaseUrl: string): Promise<string> {
  const client = new pg.Client({ connectionString: databaseUrl, connectionTimeoutMillis: 5_000, query_timeout: 5_000 });
  client.on('error', () => undefined);
  await client.connect();
  try {
    return (await client.query<{ at: string }>(STARTED_AT)).rows[0]!.at;
  } finally {
    await client.end().catch(() => undefined);
  }
}

/**
 * Work that goes on only while the database does: what migrates never learns that its connection was cut, and would wait for ever.
 * @throws DatabaseAway where the database does not answer, or was started anew since
 */
export async function whileThere<T>(databaseUrl: string, work: Promise<T>): Promise<T> {
  work.catch(() => undefined); // it may fail long after nobody waits for it any more
  let timer: NodeJS.Timeout | undefined;
  let isOver = false;
  const gone = new Promise<never>((_, reject) => {
    const away = (reason: string): void => reject(new DatabaseAway(reason));
    const look = async (first: string | null): Promise<void> => {
      const now = await startedAt(databaseUrl).catch((error: Error) => {
        // any other reason is told by the work itself
        if (isPassing(error) || (error as { code?: string }).code === undefined) away(error.message);
        return null;
      });
      if (now === null || isOver) return;
      if (first !== null && now !== first) return away('the database was started anew');
      timer = setTimeout(() => void look(first ?? now), 1_000);
    };
    void look(null);
  });
  try {
    return await Promise.race([work, gone]);
  } finally {
    isOver = true;
    clearTimeout(timer);
  }
}
