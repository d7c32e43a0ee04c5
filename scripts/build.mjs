// builds the server bundles and the web application; skips what did not change since the last build
import { createHash } from 'node:crypto';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { say, Stop, run } from './say.mjs';
import { ROOT } from './setup.mjs';

function digestOf(folders) {
  const hash = createHash('sha256');
  const walk = (path) => {
    const stat = statSync(path);
    if (stat.isDirectory()) {
      for (const name of readdirSync(path).sort()) if (name !== 'node_modules' && name !== 'dist') walk(join(path, name));
    } else hash.update(path.slice(ROOT.length)).update(readFileSync(path));
  };
  for (const folder of folders) walk(join(ROOT, folder));
  return hash.digest('hex');
}

function once(name, folders, output, build) {
  const mark = join(ROOT, 'server', 'dist', `.${name}-digest`);
  const digest = digestOf([...folders, 'package-lock.json']);
  if (existsSync(output) && existsSync(mark) && readFileSync(mark, 'utf8') === digest) return Promise.resolve();
  return Promise.resolve(build()).then(() => {
    mkdirSync(join(ROOT, 'server', 'dist'), { recursive: true });
    writeFileSync(mark, digest);
  });
}

const alias = {
  // apart: it brings a reader of CSV, which pages that read no file do without
  '@nudrik/core/table-file': join(ROOT, 'core/src/people/table-file.ts'),
  '@nudrik/core': join(ROOT, 'core/src/index.ts'),
  '@nudrik/contract': join(ROOT, 'contract/src/index.ts'),
  '@nudrik/standins': join(ROOT, 'standins/src/index.ts'),
  nudrik: join(ROOT, 'server/src/index.ts'),
};

const bundle = {
  outdir: join(ROOT, 'server/dist'),
  outExtension: { '.js': '.mjs' },
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  packages: 'external',
  alias,
  sourcemap: true,
  logLevel: 'error',
};

/** The bench measures what is shipped: bundled, not run through a loader. */
export async function buildBench() {
  const { build } = await import('esbuild');
  await build({ ...bundle, entryPoints: { bench: join(ROOT, 'bench/main.ts') } });
}

/** A trial of `trials/`, bundled like the bench. */
export async function buildTrial(name) {
  const { build } = await import('esbuild');
  await build({ ...bundle, entryPoints: { [name]: join(ROOT, `trials/${name}.ts`) } });
}

export async function buildServer() {
  await once(
    'server',
    ['core/src', 'contract/src', 'server/src', 'server/migrations', 'standins/src', 'demo/src', 'web/src/package-api', 'scripts/build.mjs'],
    join(ROOT, 'server/dist/nudrik.mjs'),
    async () => {
      const { build } = await import('esbuild');
      await build({
        ...bundle,
        entryPoints: {
          nudrik: join(ROOT, 'server/src/nudrik.ts'),
          'file-reader': join(ROOT, 'server/src/file-reader.ts'),
          'post-room': join(ROOT, 'standins/src/main.ts'),
          demo: join(ROOT, 'demo/src/main.ts'),
          'personnel-feed': join(ROOT, 'demo/src/feed-main.ts'),
          'chat-service': join(ROOT, 'demo/src/chat-main.ts'),
          'sign-in-service': join(ROOT, 'demo/src/sign-in-main.ts'),
        },
      });
      // what packages talk to, in the browser: one script that stands alone
      await build({
        entryPoints: { 'package-api': join(ROOT, 'web/src/package-api/main.ts') },
        outdir: bundle.outdir,
        bundle: true,
        minify: true,
        platform: 'browser',
        format: 'iife',
        target: 'es2020',
        alias,
        logLevel: 'error',
      });
    },
  );
}

export async function buildAll() {
  await buildServer();
  await once('web', ['core/src', 'contract/src', 'web', 'scripts/build.mjs'], join(ROOT, 'web/dist/browser/index.html'), () => {
    say('Building the web application (about a minute) …');
    const built = spawnSync('npx', ['ng', 'build', '--stats-json'], {
      cwd: join(ROOT, 'web'),
      encoding: 'utf8',
      env: { ...process.env, NG_CLI_ANALYTICS: 'false', CI: 'true' },
    });
    if (built.status !== 0)
      throw new Stop(`The web application does not build:\n${built.stdout.slice(-6000)}\n${built.stderr.slice(-6000)}`);
    // fonts and character maps that a PDF may do without having in it; their licences go with them
    const pdf = (name) => join(ROOT, 'node_modules/pdfjs-dist', name);
    cpSync(pdf('cmaps'), join(ROOT, 'web/dist/browser/pdf/cmaps'), { recursive: true });
    cpSync(pdf('standard_fonts'), join(ROOT, 'web/dist/browser/pdf/fonts'), { recursive: true });
  });
}

if (process.argv[1] === import.meta.filename) run(buildAll);
