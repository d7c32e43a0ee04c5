import { migrate, openPool, rows } from 'nudrik';
import { buildDemo, type DemoOptions } from './build.ts';

/** @returns whether the demo was made now */
export async function maybeBuild(databaseUrl: string, options: DemoOptions): Promise<boolean> {
  await migrate(databaseUrl);
  const pool = openPool(databaseUrl, 2);
  try {
    if ((await rows(pool, 'select 1 from settings')).length > 0) {
      // the stand-in listens elsewhere each time that it is started
      await pool.query("update feed set url = $1::text where url like 'http://127.0.0.1:%' and $1::text is not null", [options.feedUrl]);
      return false;
    }
    await buildDemo(pool, options);
    return true;
  } finally {
    await pool.end();
  }
}
