// npm run faults: bad evenings, played; NUDRIK_FAULTS_MINUTES says for how long (3; the long form is 60)
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, installPackages, isRoot, ROOT } from './setup.mjs';
import { run, Stop } from './say.mjs';

run(async () => {
  checkNode();
  installPackages();
  const { openCluster } = await import('./database.mjs');
  const { buildServer, buildTrial } = await import('./build.mjs');
  await buildServer();
  await buildTrial('faults');
  const folder = join(ROOT, 'data', 'faults');
  const cluster = openCluster(folder);
  await cluster.start();
  const restart = [join(cluster.bin, 'pg_ctl'), '-D', cluster.folder, '-l', join(cluster.folder, 'server.log'), '-w', '-t', '30'];
  try {
    const result = spawnSync(process.execPath, ['--enable-source-maps', join(ROOT, 'server/dist/faults.mjs')], {
      cwd: ROOT,
      stdio: 'inherit',
      env: {
        ...process.env,
        NUDRIK_FAULTS_DATABASE: cluster.ensureDatabase('faults', true),
        NUDRIK_PROGRAM: join(ROOT, 'server/dist/nudrik.mjs'),
        NUDRIK_RESTART: JSON.stringify(isRoot ? ['runuser', '-u', 'postgres', '--', ...restart] : restart),
      },
    });
    if (result.status !== 0) throw new Stop('The faults found something.');
  } finally {
    cluster.stop();
  }
});
