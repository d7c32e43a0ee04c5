import type { Client } from './db.ts';
import { isPassing } from './failures.ts';

/** What came of working on some things together: the results of what went, and what stood aside with its error. */
export interface Apart<T, R> {
  results: R[];
  failed: { item: T; error: Error }[];
}

/**
 * Works on some things in the transaction, so that one that cannot be worked on never stops the rest: where the work on all
 * of them fails, they are halved until each culprit stands alone, every probe rolled back; then the rest is worked on as
 * one. Where no part fails alone, the parts are worked on one after the other.
 * @param work called with some of the things, inside a savepoint; it may be called again with fewer
 * @throws what passes by itself (a lost connection, a deadlock): then nothing is anybody's fault, and all is tried again
 */
export async function apart<T, R>(client: Client, items: readonly T[], work: (items: readonly T[]) => Promise<R>): Promise<Apart<T, R>> {
  if (items.length === 0) return { results: [], failed: [] };
  const whole = await attempt(client, items, work, true);
  if (!(whole instanceof Failure)) return { results: [whole], failed: [] };
  if (items.length === 1) return { results: [], failed: [{ item: items[0]!, error: whole.error }] };
  const failed = await findCulprits(client, items, work);
  const culprits = new Set(failed.map(({ item }) => item));
  const rest = items.filter((item) => !culprits.has(item));
  const parts = culprits.size === 0 ? halves(rest) : [rest];
  const results: R[] = [];
  for (const part of parts) {
    const done = await apart(client, part, work);
    results.push(...done.results);
    failed.push(...done.failed);
  }
  return { results, failed };
}

class Failure {
  constructor(readonly error: Error) {}
}

/** Works inside a savepoint, which is kept only where it succeeds and `isKept`. */
async function attempt<T, R>(
  client: Client,
  items: readonly T[],
  work: (items: readonly T[]) => Promise<R>,
  isKept: boolean,
): Promise<R | Failure> {
  await client.query('savepoint apart');
  try {
    const result = await work(items);
    if (!isKept) await client.query('rollback to savepoint apart');
    await client.query('release savepoint apart');
    return result;
  } catch (error) {
    if (isPassing(error)) throw error;
    // a connection that is gone says so here
    await client.query('rollback to savepoint apart');
    await client.query('release savepoint apart');
    return new Failure(error instanceof Error ? error : new Error(String(error)));
  }
}

const halves = <T>(items: readonly T[]): (readonly T[])[] => {
  const middle = Math.ceil(items.length / 2);
  return [items.slice(0, middle), items.slice(middle)];
};

/** Of things that fail together, those that fail alone. */
async function findCulprits<T, R>(
  client: Client,
  items: readonly T[],
  work: (items: readonly T[]) => Promise<R>,
): Promise<{ item: T; error: Error }[]> {
  const found: { item: T; error: Error }[] = [];
  for (const half of halves(items)) {
    const probe = await attempt(client, half, work, false);
    if (!(probe instanceof Failure)) continue;
    if (half.length === 1) found.push({ item: half[0]!, error: probe.error });
    else found.push(...(await findCulprits(client, half, work)));
  }
  return found;
}
