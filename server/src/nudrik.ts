import { pino } from 'pino';
import { createApp } from './app.ts';
import { DemoClock, findDemoClock, openClock } from './clock/clock.ts';
import { openPool } from './db/db.ts';
import { migrate } from './db/migrate.ts';
import type { Deps } from './deps.ts';
import { listen } from './live/listen.ts';
import { Live } from './live/live.ts';
import { openMailChannel } from './messages/mail-channel.ts';
import { readSettings } from './settings.ts';
import { startWorker } from './worker.ts';

/** One program, two roles: `web` answers browsers, `worker` plans and sends. Many of each may run. */
async function main(role: string | undefined): Promise<void> {
  if (role !== 'web' && role !== 'worker') throw new Error(`Expected the role web or worker; got ${role ?? 'nothing'}.`);
  const settings = readSettings(process.env);
  const log = pino({ level: settings.logLevel, base: { role } });
  await migrate(settings.databaseUrl);
  const db = openPool(settings.databaseUrl);
  const deps: Deps = { db, settings, log, clock: await openClock(db) };

  const stop = role === 'web' ? await serve(deps) : await work(deps);
  process.send?.('ready');
  let isStopping = false;
  const end = (): void => {
    if (isStopping) return;
    isStopping = true;
    void stop()
      .then(() => db.end())
      .then(() => process.exit(0));
    setTimeout(() => process.exit(0), 5_000).unref();
  };
  process.on('SIGTERM', end);
  process.on('SIGINT', end);
  process.on('disconnect', end); // whoever started us is gone
}

async function serve(deps: Deps): Promise<() => Promise<void>> {
  const live = new Live();
  const unlisten = listen(deps.settings.databaseUrl, deps.log, (topics) => {
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
    server.closeAllConnections();
    await new Promise((closed) => server.close(closed));
    await unlisten();
  };
}

async function work(deps: Deps): Promise<() => Promise<void>> {
  const mailer = openMailChannel(deps.settings.smtpUrl);
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
