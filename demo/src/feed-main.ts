import { openPersonnelFeed } from '@nudrik/standins';
import { rosterOn } from './feed-story.ts';

const port = Number(process.env['PERSONNEL_FEED_PORT'] ?? 4345);
const feed = await openPersonnelFeed({ port, rosterOn });
process.send?.('ready');
const stop = (): void => void feed.close().then(() => process.exit(0));
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
process.on('disconnect', stop);
