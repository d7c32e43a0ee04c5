import pg from 'pg';

// PostgreSQL `date` as text: the driver's default makes a local-midnight Date of it, another day in some zones
pg.types.setTypeParser(1082, (text) => text);

export type Client = pg.PoolClient;
export type Pool = pg.Pool;
/** A pool or a client inside a transaction. */
export type Queryable = Pick<pg.PoolClient, 'query'>;

export function openPool(databaseUrl: string, max = 10): Pool {
  const pool = new pg.Pool({ connectionString: databaseUrl, max });
  pool.on('error', () => undefined); // a lost idle connection is replaced at the next query
  return pool;
}

/** Runs `work` in one transaction: committed when it returns, rolled back when it throws. */
export async function transaction<T>(pool: Pool, work: (client: Client) => Promise<T>): Promise<T> {
  const client = await pool.connect();
  try {
    await client.query('begin');
    const result = await work(client);
    await client.query('commit');
    return result;
  } catch (error) {
    await client.query('rollback').catch(() => undefined);
    throw error;
  } finally {
    client.release();
  }
}

/** Runs `work` in a transaction that is always taken back: what it returns is what would be. */
export async function rehearsed<T>(pool: Pool, work: (client: Client) => Promise<T>): Promise<T> {
  const client = await pool.connect();
  try {
    await client.query('begin');
    return await work(client);
  } finally {
    await client.query('rollback').catch(() => undefined);
    client.release();
  }
}

/** Rows of a query; the shape is named by the caller, who owns the mapping. */
export async function rows<T>(db: Queryable, sql: string, values: unknown[] = []): Promise<T[]> {
  return (await db.query(sql, values)).rows as T[];
}

/** The one row, or null. @throws when there are more */
export async function maybeRow<T>(db: Queryable, sql: string, values: unknown[] = []): Promise<T | null> {
  const found = await rows<T>(db, sql, values);
  if (found.length > 1) throw new Error(`Expected at most one row, got ${found.length}.`);
  return found[0] ?? null;
}

/** The one row. @throws when there is none, or more */
export async function oneRow<T>(db: Queryable, sql: string, values: unknown[] = []): Promise<T> {
  const row = await maybeRow<T>(db, sql, values);
  if (row === null) throw new Error('Expected one row, got none.');
  return row;
}

const NOTIFY = 'select pg_notify($1::text, $2::text)';

/** Wakes whoever listens: workers for work, browsers for what changed. Sent when the transaction commits. */
export async function announce(db: Queryable, ...topics: string[]): Promise<void> {
  await db.query(NOTIFY, ['nudrik', topics.join(' ')]);
}

/** A pattern for `ilike` that finds the text anywhere; its own wild cards stand for themselves. */
export const containing = (text: string): string => `%${text.replace(/[\\%_]/g, '\\$&')}%`;
