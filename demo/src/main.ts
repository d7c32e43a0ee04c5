import { putMails } from './mails.ts';
import { maybeBuild } from './maybe-build.ts';

/** Migrates the database and makes the demo in it, unless it is there. */
const databaseUrl = process.env['DATABASE_URL'];
if (!databaseUrl) throw new Error('The setting DATABASE_URL is missing.');
const isNew = await maybeBuild(databaseUrl, {
  baseUrl: process.env['BASE_URL'] ?? 'http://127.0.0.1:4300',
  feedUrl: process.env['PERSONNEL_FEED_URL'] ?? null,
  isTicking: process.env['NUDRIK_DEMO_CLOCK'] !== 'still',
});
// what went before the demo begins arrived too
const folder = process.env['POST_ROOM_FOLDER'];
if (isNew && folder) await putMails(databaseUrl, { folder, keyFile: process.env['NUDRIK_KEY_FILE'] ?? 'data/nudrik.key' });
