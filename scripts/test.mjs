// npm test: set-up, then lint, types, unit and server tests on a real PostgreSQL, and browser tests on the real interface
import { spawn } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { checkNode, installBrowser, installPackages, ROOT } from './setup.mjs';
import { run, say, Stop } from './say.mjs';

/** How much of what failed is said once more at the end. */
const LAST_LINES = 25;

/** Runs a command with its output shown. @returns exit code and the last lines */
function show(name, args, env = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(name, args, {
      cwd: ROOT,
      env: { ...process.env, NO_COLOR: '1', ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let last = '';
    for (const [from, to] of [
      [child.stdout, process.stdout],
      [child.stderr, process.stderr],
    ])
      from.on('data', (chunk) => {
        to.write(chunk);
        last = (last + chunk).slice(-20_000);
      });
    child.once('error', reject);
    child.once('close', (code) => resolve({ code: code ?? 1, last: last.trimEnd().split('\n').slice(-LAST_LINES).join('\n') }));
  });
}

async function must(title, name, args, env) {
  const began = Date.now();
  say(`\n== ${title}`);
  const { code, last } = await show(name, args, env);
  if (code !== 0) throw new Stop(`${title}: failed.\n${last}`);
  say(`== ${title}: ${Math.round((Date.now() - began) / 1000)} s`);
}

run(async () => {
  checkNode();
  installPackages();
  installBrowser();
  const { openCluster, freePort } = await import('./database.mjs');
  const { buildAll } = await import('./build.mjs');
  const { House } = await import('./house.mjs');
  const only = process.argv[2];
  const results = join(ROOT, 'test-results');
  rmSync(results, { recursive: true, force: true });
  mkdirSync(results, { recursive: true });
  const counts = { passed: 0, failed: 0 };
  const problems = [];
  const attempt = async (work) => {
    try {
      await work();
    } catch (error) {
      problems.push(error.message);
      say(`!! ${error.message}`);
    }
  };

  process.env.NUDRIK_FSYNC = 'off';
  // bad evenings in their short form, on a PostgreSQL of their own, which is restarted under us; most of them is waiting
  const evenings =
    !only || only === 'faults'
      ? attempt(() => must('Bad evenings', process.execPath, [join(ROOT, 'scripts/faults.mjs')], { NUDRIK_FAULTS_MINUTES: '1.25' }))
      : null;
  if (!only || only === 'lint') {
    const lint = attempt(() => must('Lint', 'npx', ['eslint', '.', '--max-warnings', '0']));
    await attempt(() =>
      must('Import rules', 'npx', [
        'depcruise',
        '--config',
        '.dependency-cruiser.cjs',
        'core',
        'contract',
        'server',
        'standins',
        'demo',
        'web/src',
      ]),
    );
    await attempt(() => must('Types', 'npx', ['tsc', '-p', 'tsconfig.json']));
    await lint;
  }
  await evenings;
  const cluster = openCluster(join(ROOT, 'data', 'test'));
  await cluster.start();
  const houses = new Set();
  try {
    if (!only || only === 'unit') {
      const file = join(results, 'unit.json');
      await attempt(() =>
        must('Unit and server tests', 'npx', ['vitest', 'run', '--reporter=default', '--reporter=json', `--outputFile.json=${file}`], {
          NUDRIK_TEST_DATABASE: cluster.url('postgres'),
        }),
      );
      const report = JSON.parse(readFileSync(file, 'utf8'));
      counts.passed += report.numPassedTests;
      counts.failed += report.numFailedTests;
    }
    if (!only || only === 'browser') {
      await buildAll();
      process.env.NUDRIK_DEMO_CLOCK = 'still';
      const asked = process.argv.slice(3);
      // what moves the clock, or takes people away, has a house of its own, and goes on beside the rest; one after the other:
      // each house holds connections to the database
      // in two weeks what is many is few: what a large house does as long work is played through by the same pages
      const apart = [
        { name: 'weeks', title: 'Two weeks', files: ['weeks'], env: { NUDRIK_JOB_ABOVE: '50' } },
        { name: 'ladder', title: 'The ladder', files: ['ladder'], env: {} },
        { name: 'fewer', title: 'Erasing, and other programs', files: ['erasing', 'programs'], env: {} },
      ];
      const filesApart = apart.flatMap(({ files }) => files);
      const together = readdirSync(join(ROOT, 'e2e')).filter(
        (name) => name.endsWith('.test.ts') && !filesApart.some((one) => name.startsWith(one)),
      );
      const part = async (name, title, filters, url, database) => {
        const file = join(results, `${name}.json`);
        const args = ['playwright', 'test', '--reporter=list,json', '--output', join(results, name), ...filters];
        await attempt(() =>
          must(title, 'npx', args, {
            NUDRIK_E2E_URL: url,
            NUDRIK_E2E_DATABASE: database,
            PLAYWRIGHT_JSON_OUTPUT_NAME: file,
          }),
        );
        const { stats } = JSON.parse(readFileSync(file, 'utf8'));
        counts.passed += stats.expected + stats.flaky;
        counts.failed += stats.unexpected;
      };
      const inOwnHouse = async ({ name, title, files, env = {} }) => {
        const house = new House();
        houses.add(house);
        try {
          const databaseUrl = cluster.ensureDatabase(name, true);
          const url = await house.open({ databaseUrl, port: await freePort(), more: env });
          await part(name, title, files, url, databaseUrl);
        } finally {
          await house.close();
          houses.delete(house);
        }
      };
      const allApart = async () => {
        for (const one of apart) await attempt(() => inOwnHouse(one));
      };
      const shared = (files) => attempt(() => inOwnHouse({ name: 'browser', title: 'Browser tests', files }));
      const one = apart.find(({ files }) => files.includes(asked[0]));
      if (asked.length === 0) await Promise.all([shared(together), allApart()]);
      else await (one ? attempt(() => inOwnHouse({ ...one, files: asked })) : shared(asked));
    }
  } finally {
    await Promise.all([...houses].map((house) => house.close()));
    cluster.stop();
  }
  for (const problem of problems) say(`!! ${problem}`);
  say(`${counts.passed} passed, ${counts.failed} failed`);
  process.exit(problems.length > 0 || counts.failed > 0 ? 1 : 0);
});
