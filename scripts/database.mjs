// Nudrik's own PostgreSQL cluster: in the data folder, on loopback, on a port that was free
import { createHash } from 'node:crypto';
import { chownSync, existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { command, installPostgres, isRoot } from './setup.mjs';
import { Stop } from './say.mjs';

export const freePort = () =>
  new Promise((resolve, reject) => {
    const server = createServer();
    server.once('error', reject);
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => resolve(port));
    });
  });

/** PostgreSQL refuses to run as root; as root it runs as the user that its package made. */
const asOwner = (program, args) =>
  isRoot ? command('runuser', ['-u', 'postgres', '--', program, ...args], { cwd: '/' }) : command(program, args);

function reachable(folder) {
  mkdirSync(folder, { recursive: true });
  return !isRoot || command('runuser', ['-u', 'postgres', '--', 'test', '-x', folder], { cwd: '/' }).status === 0;
}

export class Cluster {
  constructor(bin, folder) {
    this.bin = bin;
    this.folder = folder;
    // the path of a socket may have 107 bytes at the most
    this.socket = join(tmpdir(), `nudrik-${createHash('sha256').update(folder).digest('hex').slice(0, 10)}`);
    this.port = null;
  }

  pg(program, args) {
    return asOwner(join(this.bin, program), args);
  }

  isRunning() {
    return existsSync(join(this.folder, 'postmaster.pid')) && this.pg('pg_ctl', ['-D', this.folder, 'status']).status === 0;
  }

  async start() {
    mkdirSync(this.socket, { recursive: true });
    if (!existsSync(join(this.folder, 'PG_VERSION'))) {
      rmSync(this.folder, { recursive: true, force: true });
      mkdirSync(this.folder, { recursive: true, mode: 0o700 });
      if (isRoot) {
        const [uid, gid] = ['-u', '-g'].map((flag) => Number(command('id', [flag, 'postgres']).stdout));
        chownSync(this.folder, uid, gid);
      }
      const made = this.pg('initdb', ['-D', this.folder, '-U', 'nudrik', '-A', 'trust', '-E', 'UTF8', '--locale=C.UTF-8', '--no-sync']);
      if (made.status !== 0) throw new Stop(`The database folder ${this.folder} cannot be made:\n${made.stderr.trim()}`);
    }
    if (isRoot) {
      const [uid, gid] = ['-u', '-g'].map((flag) => Number(command('id', [flag, 'postgres']).stdout));
      chownSync(this.socket, uid, gid);
    }
    if (this.isRunning()) {
      // left over from a run that was killed: it is ours, it goes on
      this.port = Number(readFileSync(join(this.folder, 'postmaster.pid'), 'utf8').split('\n')[3]);
      return;
    }
    this.port = await freePort();
    const settings = {
      listen_addresses: '127.0.0.1',
      unix_socket_directories: this.socket,
      max_connections: 100,
      shared_buffers: '256MB',
      fsync: process.env.NUDRIK_FSYNC ?? 'on',
    };
    const options = [`-p ${this.port}`, ...Object.entries(settings).map(([name, value]) => `-c ${name}=${value}`)].join(' ');
    const started = this.pg('pg_ctl', ['-D', this.folder, '-l', join(this.folder, 'server.log'), '-w', '-t', '30', '-o', options, 'start']);
    if (started.status !== 0)
      throw new Stop(
        `PostgreSQL cannot be started; its log is ${join(this.folder, 'server.log')}:\n${(started.stderr || started.stdout).trim()}`,
      );
  }

  url(database) {
    return `postgres://nudrik@127.0.0.1:${this.port}/${database}`;
  }

  sql(statement, database = 'postgres') {
    const result = command('psql', ['-X', '-A', '-t', '-q', '-v', 'ON_ERROR_STOP=1', '-c', statement, this.url(database)], {
      env: { ...process.env, PGOPTIONS: '' },
    });
    if (result.status !== 0) throw new Stop(`The database refused "${statement}": ${result.stderr.trim()}`);
    return result.stdout.trim();
  }

  ensureDatabase(name, isFresh) {
    if (isFresh) this.sql(`drop database if exists ${name} with (force)`);
    if (this.sql(`select 1 from pg_database where datname = '${name}'`) !== '1') this.sql(`create database ${name}`);
    return this.url(name);
  }

  stop() {
    this.pg('pg_ctl', ['-D', this.folder, '-m', 'fast', '-w', '-t', '20', 'stop']);
  }
}

/** The cluster of a data folder, PostgreSQL being installed where it is missing. */
export function openCluster(dataDir) {
  const bin = installPostgres();
  const folder = join(dataDir, 'postgres');
  if (reachable(dataDir)) return new Cluster(bin, folder);
  // below a home that nobody else may enter: the same data, by name, where PostgreSQL's user can reach it
  const elsewhere = join('/var/tmp', `nudrik-${createHash('sha256').update(dataDir).digest('hex').slice(0, 10)}`);
  mkdirSync(elsewhere, { recursive: true, mode: 0o755 });
  return new Cluster(bin, join(elsewhere, 'postgres'));
}
