import { openChatService } from '@nudrik/standins';

/** The chat of Orlasund Ferries as a process of its own. */
const service = await openChatService({
  port: Number(process.env['CHAT_PORT'] ?? 0),
  secret: process.env['CHAT_SECRET']!,
  backUrl: process.env['CHAT_BACK_URL'] ?? null,
  folder: process.env['CHAT_FOLDER'] ?? null,
});
process.send?.('ready');
const stop = (): void => void service.close().then(() => process.exit(0));
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
process.on('disconnect', stop);
