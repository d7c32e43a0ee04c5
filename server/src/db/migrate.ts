import { fileURLToPath } from 'node:url';
import { existsSync } from 'node:fs';
import { runner } from 'node-pg-migrate';
import { readWhatIsUnread } from '../assignments/record.ts';
import { openPool } from './db.ts';

/** The folder of numbered migrations, beside the sources and beside the bundle. */
const DIRECTORY = [new URL('../../migrations', import.meta.url), new URL('../migrations', import.meta.url)]
  .map((url) => fileURLToPath(url))
  .find((path) => existsSync(path))!;

/** Brings the database to the newest migration; does nothing when it is there. */
export async function migrate(databaseUrl: string): Promise<void> {
  await runner({
    databaseUrl,
    dir: DIRECTORY,
    direction: 'up',
    migrationsTable: 'migrations',
    log: () => undefined,
    singleTransaction: true,
    advisoryLockMode: 'wait',
  });
  const db = openPool(databaseUrl, 1);
  try {
    await readWhatIsUnread(db);
  } finally {
    await db.end();
  }
}
