// what must be on the machine before anything can run: npm packages, PostgreSQL, for the tests a browser
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { say, Stop } from './say.mjs';

export const ROOT = resolve(import.meta.dirname, '..');
export const isRoot = process.getuid?.() === 0;

export function command(name, args, options = {}) {
  const result = spawnSync(name, args, { cwd: ROOT, encoding: 'utf8', ...options });
  if (result.error) throw new Stop(`${name} cannot be started: ${result.error.message}`);
  return result;
}

function must(name, args, what, options = {}) {
  const result = command(name, args, options);
  if (result.status !== 0)
    throw new Stop(
      `${what} failed (${name} ${args.join(' ')}):\n${(result.stderr || result.stdout || '').trim().split('\n').slice(-12).join('\n')}`,
    );
}

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19)) throw new Stop(`Nudrik needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
}

/** Installs the npm packages of the lock file, unless they are there. */
export function installPackages() {
  const mark = join(ROOT, 'node_modules', '.nudrik-lock');
  const digest = createHash('sha256')
    .update(readFileSync(join(ROOT, 'package-lock.json')))
    .digest('hex');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === digest) return;
  say('Installing npm packages (a minute or two) …');
  must('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund'], 'Installing the npm packages');
  writeFileSync(mark, digest);
}

let isListFresh = false;

function aptInstall(packages, what) {
  if (!isRoot) throw new Stop(`${what} is missing. Install it first: sudo apt-get install ${packages.join(' ')}`);
  if (!existsSync('/usr/bin/apt-get')) throw new Stop(`${what} is missing, and this is not a Debian machine. Install it by hand.`);
  say(`Installing ${what} …`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  if (!isListFresh) must('apt-get', ['update', '-qq'], 'Reading the package lists', { env });
  isListFresh = true;
  must('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], `Installing ${what}`, { env });
}

/** The folder of PostgreSQL's server programs; they are not on PATH. */
export function findPostgres() {
  const base = '/usr/lib/postgresql';
  const versions = existsSync(base) ? readdirSync(base).filter((version) => existsSync(join(base, version, 'bin', 'initdb'))) : [];
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  if (newest) return join(base, newest, 'bin');
  const which = command('sh', ['-c', 'dirname "$(readlink -f "$(command -v initdb)")"']);
  return which.status === 0 && existsSync(join(which.stdout.trim(), 'pg_ctl')) ? which.stdout.trim() : null;
}

export function installPostgres() {
  const found = findPostgres();
  if (found) return found;
  if (isRoot) {
    // no default cluster: Nudrik has one of its own, in its data folder
    mkdirSync('/etc/postgresql-common/createcluster.d', { recursive: true });
    writeFileSync('/etc/postgresql-common/createcluster.d/nudrik.conf', 'create_main_cluster = false\n');
  }
  aptInstall(['postgresql'], 'PostgreSQL');
  const installed = findPostgres();
  if (!installed) throw new Stop('PostgreSQL was installed, but its programs initdb and pg_ctl were not found.');
  return installed;
}

export function installBrowser() {
  if (existsSync('/usr/bin/chromium')) return;
  aptInstall(['chromium'], 'Chromium, for the browser tests');
}
