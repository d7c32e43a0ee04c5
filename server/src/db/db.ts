import pg from 'pg';
import { DatabaseAway } from './failures.ts';

// PostgreSQL `date` as text: the driver's default makes a local-midnight Date of it, another day in some zones
pg.types.setTypeParser(1082, (text) => text);

export type Client = pg.PoolClient;
export type Pool = pg.Pool;
/** A pool or a client inside a transaction. */
export type Queryable = Pick<pg.PoolClient, 'query'>;

/** No statement takes longer: what hangs is found. Milliseconds; the server is asked first, then the connection is given up. */
const STATEMENT_MS = 120_000;

/** Compiling a query takes longer than any of ours takes; what is counted for a page fits into memory. */
const OPTIONS = '-c jit=off -c work_mem=16MB';

/** The connections that a pool has open, to cut them off when the database does not answer. */
const openOnes = new WeakMap<Pool, Set<pg.PoolClient>>();

/**
 * Connections to the database. One that is lost, also in the midst of a transaction, fails what was asked of it and nothing
 * else; it is replaced at the next query.
 * @param isPooled a pooler in transaction mode stands between: each transaction may have another connection, so nothing of a
 *   connection is set and no statement is prepared on it
 */
export function openPool(databaseUrl: string, max = 10, isPooled = false): Pool {
  const pool = new pg.Pool({
    connectionString: databaseUrl,
    max,
    connectionTimeoutMillis: 10_000,
    query_timeout: STATEMENT_MS + 5_000,
    ...(!isPooled && { statement_timeout: STATEMENT_MS, idle_in_transaction_session_timeout: STATEMENT_MS * 2, options: OPTIONS }),
    keepAlive: true,
    keepAliveInitialDelayMillis: 10_000,
  });
  const clients = new Set<pg.PoolClient>();
  openOnes.set(pool, clients);
  pool.on('error', () => undefined);
  pool.on('connect', (client) => {
    clients.add(client);
    // without a listener a connection that is lost while it is checked out would end the process
    client.on('error', () => undefined);
    tellAway(client, isPooled);
  });
  pool.on('remove', (client) => clients.delete(client));
  tellAway(pool, false); // what it asks goes through its clients
  const connect = pool.connect.bind(pool) as () => Promise<pg.PoolClient>;
  pool.connect = ((...args: unknown[]) =>
    args.length > 0 ? (connect as (...all: unknown[]) => unknown)(...args) : connect().catch(asAway)) as typeof pool.connect;
  return pool;
}

/** The driver tells a lost connection by a plain error without a code; whatever else goes wrong has one, or a class of its own. */
function asAway(error: Error & { code?: string }): never {
  if (error.code === undefined && Object.getPrototypeOf(error) === Error.prototype) throw new DatabaseAway(error.message, { cause: error });
  throw error;
}

function tellAway(target: { query: pg.PoolClient['query'] }, isPooled: boolean): void {
  const query = target.query.bind(target) as (...args: unknown[]) => unknown;
  target.query = ((...args: unknown[]) => {
    const [first, ...rest] = args;
    const asked = isPooled && typeof first === 'object' && first !== null && 'name' in first ? { ...first, name: undefined } : first;
    const answer = query(asked, ...rest);
    return answer instanceof Promise ? answer.catch(asAway) : answer;
  }) as pg.PoolClient['query'];
}

/** Cuts off every connection of a pool: the database does not answer, and whatever waits for it would wait for ever. */
export function severAll(pool: Pool): void {
  for (const client of openOnes.get(pool) ?? [])
    (client as unknown as { connection: { stream: { destroy(error?: Error): void } } }).connection.stream.destroy();
}

/** Ends a transaction that failed. A connection that cannot even do that is thrown away. */
async function rollBack(client: Client): Promise<void> {
  try {
    await client.query('rollback');
    client.release();
  } catch {
    client.release(true);
  }
}

/** Runs `work` in one transaction: committed when it returns, rolled back when it throws. */
export async function transaction<T>(pool: Pool, work: (client: Client) => Promise<T>): Promise<T> {
  const client = await pool.connect();
  let result: T;
  try {
    await client.query('begin');
    result = await work(client);
    await client.query('commit');
  } catch (error) {
    await rollBack(client);
    throw error;
  }
  client.release();
  return result;
}

/** Runs `work` in a transaction that is always taken back: what it returns is what would be. */
export async function rehearsed<T>(pool: Pool, work: (client: Client) => Promise<T>): Promise<T> {
  const client = await pool.connect();
  try {
    await client.query('begin');
    return await work(client);
  } finally {
    await rollBack(client);
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
