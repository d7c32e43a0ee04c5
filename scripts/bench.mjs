// npm run bench: ratios within one run; these machines are noisy, so no figure stands alone
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, installPackages, ROOT } from './setup.mjs';
import { run, Stop } from './say.mjs';

run(async () => {
  checkNode();
  installPackages();
  const { openCluster } = await import('./database.mjs');
  const { buildAll, buildBench } = await import('./build.mjs');
  await buildAll();
  await buildBench();
  const cluster = openCluster(join(ROOT, 'data', 'bench'));
  await cluster.start();
  try {
    const result = spawnSync(process.execPath, [join(ROOT, 'server/dist/bench.mjs'), ...process.argv.slice(2)], {
      cwd: ROOT,
      stdio: 'inherit',
      env: {
        ...process.env,
        NUDRIK_BENCH_DATABASE: cluster.ensureDatabase('bench', true),
        NUDRIK_PROGRAM: join(ROOT, 'server/dist/nudrik.mjs'),
        NUDRIK_WEB_DIR: join(ROOT, 'web/dist/browser'),
      },
    });
    if (result.status !== 0) throw new Stop('The bench ended with an error.');
  } finally {
    cluster.stop();
  }
});
