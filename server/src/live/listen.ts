import pg from 'pg';
import type { Logger } from '../deps.ts';

/** Listens for what other processes announce; comes back after a lost connection. @returns how to stop */
export function listen(databaseUrl: string, log: Logger, onTopics: (topics: string[]) => void): () => Promise<void> {
  let client: pg.Client | null = null;
  let stopped = false;
  let retry: NodeJS.Timeout | undefined;

  const connect = async (): Promise<void> => {
    const fresh = new pg.Client({ connectionString: databaseUrl });
    client = fresh;
    const again = (): void => {
      if (stopped || client !== fresh) return;
      client = null;
      fresh.end().catch(() => undefined);
      retry = setTimeout(() => void connect(), 500);
    };
    fresh.on('error', again);
    fresh.on('end', again);
    fresh.on('notification', ({ payload }) => onTopics((payload ?? '').split(' ')));
    try {
      await fresh.connect();
      await fresh.query('listen nudrik');
      onTopics(['clock', 'work', 'notices']); // whatever happened while nobody listened
    } catch (error) {
      log.warn({ error: (error as Error).message }, 'The database does not answer; trying again.');
      again();
    }
  };
  void connect();
  return async () => {
    stopped = true;
    clearTimeout(retry);
    await client?.end().catch(() => undefined);
  };
}
