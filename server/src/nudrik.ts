import { pino } from 'pino';
import { createApp } from './app.ts';
import { DemoClock, findDemoClock, openClock } from './clock/clock.ts';
import { openPool } from './db/db.ts';
import { migrate, whileThere } from './db/migrate.ts';
import { isPassing } from './db/failures.ts';
import type { Deps, Logger } from './deps.ts';
import { agreeOnKey, openKey } from './house/key.ts';
import { eraseAgain } from './keeping/erase-again.ts';
import { listen } from './live/listen.ts';
import { Live } from './live/live.ts';
import { readSigner } from './messages/dkim.ts';
import { openChat, withChat } from './chat/chat.ts';
import { noteChat } from './chat/chat.repo.ts';
import { mailChannelOf } from './messages/mail-channel.ts';
import { seldom } from './work/seldom.ts';
import { readSettings } from './settings.ts';
import { startWorker } from './worker.ts';

/** However slowly what is on the wire ends: after this the process does. */
const STOP_MS = 40_000;

/** One program, two roles: `web` answers browsers, `worker` plans and sends. Many of each may run. */
async function main(role: string | undefined): Promise<void> {
  if (role !== 'web' && role !== 'worker') throw new Error(`Expected the role web or worker; got ${role ?? 'nothing'}.`);
  const settings = readSettings(process.env);
  settings.key ||= openKey(settings.keyFile);
  readSigner(settings.dkim); // what is wrong with it is said now, and not by the first letter
  const log = pino({ level: settings.logLevel, base: { role } });
  let stop: (() => Promise<void>) | null = null;
  let isStopping = false;
  // one handler from the first moment on: between two of them a signal would be lost
  const end = (): void => {
    if (isStopping) return;
    isStopping = true;
    if (stop === null) process.exit(0); // there is nothing to stop yet
    stop()
      .then(() => process.exit(0))
      .catch((error: Error) => {
        log.error({ error: error.stack }, 'Stopping failed; whatever was going on is taken up by the next one.');
        process.exit(1);
      });
    setTimeout(() => process.exit(0), STOP_MS).unref();
  };
  // `disconnect`: whoever started us is gone
  for (const reason of ['disconnect', 'SIGTERM', 'SIGINT'] as const) process.on(reason, end);

  await whenThere(log, () => whileThere(settings.directUrl, migrate(settings.directUrl)));
  const db = openPool(settings.databaseUrl, 10, settings.directUrl !== settings.databaseUrl);
  await whenThere(log, () => agreeOnKey(db, settings.key));
  const deps: Deps = { db, settings, log, clock: await whenThere(log, () => openClock(db)) };
  // a backup brings nobody back: before anything is shown, or sent
  const again = await whenThere(log, () => eraseAgain(deps));
  if (again > 0) log.warn({ again }, 'A backup had brought back people who were erased: they were erased again.');
  const stopRole = role === 'web' ? await serve(deps) : await work(deps);
  stop = () => stopRole().then(() => db.end());
  process.send?.('ready');
}

/** Waits for a database that is not there yet: it may be starting, or started anew. */
async function whenThere<T>(log: Logger, work: () => Promise<T>): Promise<T> {
  const warn = seldom(60_000);
  for (;;) {
    try {
      return await work();
    } catch (error) {
      if (!isPassing(error)) throw error;
      warn(() => log.warn({ reason: (error as Error).message }, 'The database does not answer; it is tried again each second.'));
      await new Promise((resolve) => setTimeout(resolve, 1_000));
    }
  }
}

async function serve(deps: Deps): Promise<() => Promise<void>> {
  const live = new Live();
  const unlisten = listen(deps.settings.directUrl, deps.log, (topics) => {
    live.announce(topics);
    if (topics.includes('clock') && deps.clock instanceof DemoClock) {
      const { clock } = deps;
      findDemoClock(deps.db).then(
        (row) => row && clock.adopt(row),
        () => undefined,
      );
    }
  });
  const server = createApp(deps, live).listen(deps.settings.port, '127.0.0.1');
  // longer than a proxy keeps a connection that waits, so that none is closed while it is used again
  server.keepAliveTimeout = 75_000;
  server.headersTimeout = 80_000;
  await new Promise<void>((resolve, reject) => {
    server.once('listening', resolve);
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new Error(`Port ${deps.settings.port} is taken by another program. Stop it, or choose another port: PORT=4301 npm start`)
          : error,
      ),
    );
  });
  return async () => {
    live.close();
    // nothing new is taken; what is asked already is answered, and after a while rolled back with its connection
    const closed = new Promise((done) => server.close(done));
    server.closeIdleConnections();
    const timer = setTimeout(() => server.closeAllConnections(), 20_000);
    await closed;
    clearTimeout(timer);
    await unlisten();
  };
}

async function work(deps: Deps): Promise<() => Promise<void>> {
  const { chat } = deps.settings;
  const mailer = withChat(mailChannelOf(deps.settings), chat && openChat(chat));
  await noteChat(deps.db, chat !== null);
  const stop = await startWorker(deps, mailer);
  return async () => {
    await stop();
    mailer.close();
  };
}

main(process.argv[2]).catch((error: Error) => {
  process.stderr.write(`${error.message}\n`);
  process.exit(1);
});
