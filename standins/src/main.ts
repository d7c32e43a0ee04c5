import { openPostRoom } from './post-room.ts';
import { Behaviour } from '@nudrik/contract';

/** The post room as a process of its own. Ports and first behaviours come from the environment. */
const port = (name: string): number => Number(process.env[name] ?? 0);
const behaviours = Object.fromEntries(
  (process.env['POST_ROOM_BEHAVIOURS'] ?? '')
    .split(' ')
    .filter(Boolean)
    .map((pair) => pair.split('=') as [string, string])
    .map(([address, behaviour]) => [address, Behaviour.parse(behaviour)]),
);
const room = await openPostRoom({
  smtpPort: port('POST_ROOM_SMTP_PORT'),
  httpPort: port('POST_ROOM_HTTP_PORT'),
  reportPort: port('POST_ROOM_REPORT_PORT'),
  behaviours,
  ...(process.env['POST_ROOM_IMAP_PORT'] && {
    mailbox: { port: port('POST_ROOM_IMAP_PORT'), user: 'replies@orlasund.example', password: 'lies here' },
  }),
  folder: process.env['POST_ROOM_FOLDER'] ?? null,
});
process.send?.('ready');
const end = (): void => void room.close().then(() => process.exit(0));
process.on('SIGTERM', end);
process.on('SIGINT', end);
process.on('disconnect', end); // whoever started us is gone
