import { migrate, openPool, rows } from 'nudrik';
import { buildDemo, type DemoOptions } from './build.ts';

/** @returns whether the demo was made now */
export async function maybeBuild(databaseUrl: string, options: DemoOptions): Promise<boolean> {
  await migrate(databaseUrl);
  const pool = openPool(databaseUrl, 2);
  try {
    if ((await rows(pool, 'select 1 from settings')).length > 0) return false;
    await buildDemo(pool, options);
    return true;
  } finally {
    await pool.end();
  }
}
