import { maybeBuild } from './maybe-build.ts';

/** Migrates the database and makes the demo in it, unless it is there. */
const databaseUrl = process.env['DATABASE_URL'];
if (!databaseUrl) throw new Error('The setting DATABASE_URL is missing.');
await maybeBuild(databaseUrl, {
  baseUrl: process.env['BASE_URL'] ?? 'http://127.0.0.1:4300',
  feedUrl: process.env['PERSONNEL_FEED_URL'] ?? null,
  isTicking: process.env['NUDRIK_DEMO_CLOCK'] !== 'still',
});
