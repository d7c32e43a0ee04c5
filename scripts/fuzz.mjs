// npm run fuzz: generated requests as every role; NUDRIK_FUZZ_REQUESTS says how many each (100,000), FUZZ_SEED which
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, installPackages, ROOT } from './setup.mjs';
import { run, Stop } from './say.mjs';

run(async () => {
  checkNode();
  installPackages();
  process.env.NUDRIK_FSYNC = 'off';
  const { openCluster } = await import('./database.mjs');
  const cluster = openCluster(join(ROOT, 'data', 'fuzz'));
  await cluster.start();
  try {
    const result = spawnSync('npx', ['vitest', 'run', '--project', 'server', 'server/src/fuzz.test.ts'], {
      cwd: ROOT,
      stdio: 'inherit',
      env: { NUDRIK_FUZZ_REQUESTS: '100000', ...process.env, NUDRIK_TEST_DATABASE: cluster.url('postgres') },
    });
    if (result.status !== 0) throw new Stop('The generated requests found something.');
  } finally {
    cluster.stop();
  }
});
