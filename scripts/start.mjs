// npm start: sets up what is missing, then runs Nudrik with its demo until Ctrl-C
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { checkNode, installPackages, ROOT } from './setup.mjs';
import { say, run, Stop } from './say.mjs';

const isAlive = (pid) => {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
};

run(async () => {
  const unknown = process.argv.slice(2).filter((word) => word !== '--fresh');
  if (unknown.length > 0) throw new Stop(`npm start knows --fresh (make the demo anew); got ${unknown.join(' ')}.`);
  const isFresh = process.argv.includes('--fresh');
  checkNode();
  const port = Number(process.env.PORT ?? 4300);
  if (!Number.isInteger(port) || port < 1 || port > 65535)
    throw new Stop(`The setting PORT is "${process.env.PORT}": expected a whole number from 1 to 65535.`);
  const dataDir = resolve(process.env.NUDRIK_DATA_DIR ?? join(ROOT, 'data'));
  mkdirSync(dataDir, { recursive: true });
  const pidFile = join(dataDir, 'nudrik.pid');
  const other = existsSync(pidFile) ? Number(readFileSync(pidFile, 'utf8')) : 0;
  if (other && other !== process.pid && isAlive(other))
    throw new Stop(
      `Nudrik already runs from ${dataDir} (process ${other}). Stop it first, or choose another folder: NUDRIK_DATA_DIR=… npm start`,
    );

  const { House, claimPort } = await import('./house.mjs');
  await claimPort(port);
  writeFileSync(pidFile, String(process.pid));

  installPackages();
  const { openCluster } = await import('./database.mjs');
  const { buildAll } = await import('./build.mjs');
  await buildAll();
  const cluster = openCluster(dataDir);
  await cluster.start();
  const house = new House();
  process.env.NUDRIK_KEY_FILE ??= join(dataDir, 'nudrik.key');
  let isStopping = false;
  const stop = async (code) => {
    if (isStopping) return;
    isStopping = true;
    await house.close();
    cluster.stop();
    rmSync(pidFile, { force: true });
    process.exit(code);
  };
  process.on('SIGINT', () => void stop(0));
  process.on('SIGTERM', () => void stop(0));
  house.onLoss = (label, code) => {
    process.stderr.write(`${label} ended with code ${code}; stopping.\n`);
    void stop(1);
  };
  try {
    const databaseUrl = cluster.ensureDatabase('nudrik', isFresh);
    const mailFolder = join(dataDir, 'post-room');
    if (isFresh) {
      say('Making the demo anew …');
      rmSync(mailFolder, { recursive: true, force: true });
    }
    const address = await house.open({ databaseUrl, port, mailFolder });
    say(`\nNudrik is at ${address}\nThe demo: Orlasund Ferries. Choose an account on the first page. Ctrl-C stops it.`);
  } catch (error) {
    if (!isStopping) process.stderr.write(`${error instanceof Stop ? error.message : error.stack}\n`);
    await stop(1);
  }
});
