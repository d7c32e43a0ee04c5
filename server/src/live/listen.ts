import pg from 'pg';
import type { Logger } from '../deps.ts';

/** How often a connection that only listens is asked whether it is still there: nothing else would tell. */
const BEAT_MS = 10_000;

const LISTEN = 'listen nudrik';
const BEAT = 'select 1';

/**
 * Listens for what other processes announce. A connection that is lost, or that answers nothing any more, is replaced, and
 * whoever listens is told to look, since nobody knows what was missed. @returns how to stop
 */
export function listen(databaseUrl: string, log: Logger, onTopics: (topics: string[]) => void, beatMs = BEAT_MS): () => Promise<void> {
  let client: pg.Client | null = null;
  let stopped = false;
  let retry: NodeJS.Timeout | undefined;
  let beat: NodeJS.Timeout | undefined;

  const connect = async (): Promise<void> => {
    const fresh = new pg.Client({ connectionString: databaseUrl, connectionTimeoutMillis: beatMs, query_timeout: beatMs, keepAlive: true });
    client = fresh;
    const again = (): void => {
      if (stopped || client !== fresh) return;
      client = null;
      clearTimeout(beat);
      // a connection that answers nothing would not end by itself either
      (fresh as unknown as { connection: { stream: { destroy(): void } } }).connection.stream.destroy();
      retry = setTimeout(() => void connect(), 500);
    };
    const look = (): void => {
      beat = setTimeout(() => fresh.query(BEAT).then(look, again), beatMs);
    };
    fresh.on('error', again);
    fresh.on('end', again);
    fresh.on('notification', ({ payload }) => onTopics((payload ?? '').split(' ')));
    try {
      await fresh.connect();
      await fresh.query(LISTEN);
      onTopics(['clock', 'work', 'notices']); // whatever happened while nobody listened
      if (client === fresh) look();
    } catch (error) {
      log.warn({ error: (error as Error).message }, 'The database does not answer; trying again.');
      again();
    }
  };
  void connect();
  return async () => {
    stopped = true;
    clearTimeout(retry);
    clearTimeout(beat);
    const last = client;
    client = null;
    if (!last) return;
    await Promise.race([last.end().catch(() => undefined), new Promise((resolve) => setTimeout(resolve, 1_000).unref())]);
  };
}
