import { rows, type Client, type Pool } from './db.ts';

/** Cursors of one pool at the same time: whoever reads them asks for other connections meanwhile, and there must be some. */
const MOST = 3;
const lanes = new WeakMap<Pool, { open: number; waiting: (() => void)[] }>();
async function enter(pool: Pool): Promise<() => void> {
  const lane = lanes.get(pool) ?? { open: 0, waiting: [] };
  lanes.set(pool, lane);
  if (lane.open >= MOST) await new Promise<void>((resolve) => lane.waiting.push(resolve));
  else lane.open += 1;
  return () => {
    const next = lane.waiting.shift();
    if (next) next();
    else lane.open -= 1;
  };
}

const BEGIN = 'begin isolation level repeatable read read only';
// a cursor is read to its end: it is planned for that
const TO_THE_END = "set local cursor_tuple_fraction = 1; set local idle_in_transaction_session_timeout = '5min'";

/**
 * The rows of a query in parts, all of one moment: a million never stand in memory at once. The next part is read while the one
 * before is worked on. Whoever leaves before the end gives the connection back.
 */
export async function* partsOfQuery<T>(pool: Pool, sql: string, values: readonly unknown[] = [], size = 1_000): AsyncGenerator<T[]> {
  const leave = await enter(pool);
  let client: Client;
  try {
    client = await pool.connect();
  } catch (error) {
    leave();
    throw error;
  }
  let fault: Error | undefined;
  let next: Promise<T[]> | null = null;
  try {
    await client.query(BEGIN);
    await client.query(TO_THE_END);
    await client.query(`declare parts no scroll cursor for ${sql}`, [...values]);
    next = rows<T>(client, `fetch ${size} from parts`);
    for (;;) {
      const part: T[] = await next;
      next = null;
      if (part.length === 0) return;
      if (part.length === size) next = rows<T>(client, `fetch ${size} from parts`);
      // it is waited for further down: a fault of it is told there
      next?.catch(() => undefined);
      yield part;
      if (next === null) return;
    }
  } catch (error) {
    fault = error as Error;
    throw error;
  } finally {
    await next?.catch(() => undefined);
    await client.query('rollback').catch((error: unknown) => (fault = error as Error));
    client.release(fault);
    leave();
  }
}

const REST_LONG = "set local idle_in_transaction_session_timeout = '10min'";
/** Its transaction may rest while a file is made beside it. */
export const restLong = (client: Client): Promise<unknown> => client.query(REST_LONG);

/** Rows that few are read at once: whoever takes long to take them in holds nothing open. */
const AT_ONCE = 5_000;
/** The rows of a query in parts, however many they are. @param total how many there will be, about */
export async function* partsOf<T>(pool: Pool, sql: string, values: readonly unknown[], total: number, size = 1_000): AsyncGenerator<T[]> {
  if (total > AT_ONCE) return yield* partsOfQuery<T>(pool, sql, values, size);
  const list = await rows<T>(pool, sql, [...values]);
  for (let from = 0; from < list.length; from += size) yield list.slice(from, from + size);
}

/** The same with each row as something else. */
export async function* mapParts<A, B>(parts: AsyncIterable<readonly A[]>, change: (row: A) => B): AsyncGenerator<B[]> {
  for await (const part of parts) yield part.map(change);
}
