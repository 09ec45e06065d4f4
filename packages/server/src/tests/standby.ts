import { execFile, spawn } from 'node:child_process';
import { chownSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { promisify } from 'node:util';
import pg from 'pg';
import type { DatabaseAddress } from '../ground/database/address.js';
import { clusterAccount } from '../ground/database/cluster/account.js';
import { binariesFor } from '../ground/database/cluster/binaries.js';
import { freePort, makeDataFolder, startCluster, type Cluster } from '../ground/database/cluster/cluster.js';
import { migrate } from '../ground/database/migrate.js';
import { Standbys } from '../ground/standbys/standbys.js';
import { createDataSource } from '../service/data-source.js';
import type { TestService } from './test-service.js';

const run = promisify(execFile);

/** A server that replays what another one does. */
export interface Standby {
  readonly address: DatabaseAddress;
  /** Asks it, whether it takes writes or not. */
  ask(sql: string): Promise<Record<string, unknown>[]>;
  stop(): Promise<void>;
}

/** Makes a standby of a cluster from a base backup, and waits until it answers. */
export async function makeStandby(cluster: Cluster): Promise<Standby> {
  const account = clusterAccount();
  const binaries = binariesFor(cluster.folder);
  const folder = `${cluster.folder}-standby`;
  mkdirSync(folder, { mode: 0o700 });
  if (account) chownSync(folder, account.uid, account.gid);
  const { port: from, user, password } = cluster.address;
  const as = { ...account, cwd: '/', env: { ...process.env, PGPASSWORD: password } };
  const primary = ['-h', '127.0.0.1', '-p', String(from), '-U', user];
  await run(join(binaries, 'pg_basebackup'), ['-D', folder, '-R', '-X', 'stream', '-c', 'fast', ...primary], as);
  const port = await freePort();
  const settings = { port, listen_addresses: '127.0.0.1', unix_socket_directories: '', max_connections: 120 };
  const options = Object.entries(settings).flatMap(([name, value]) => ['-c', `${name}=${value}`]);
  const child = spawn(join(binaries, 'postgres'), ['-D', folder, ...options], { ...as, stdio: 'ignore' });
  const ended = new Promise((resolve) => child.once('exit', resolve));
  const address = { ...cluster.address, host: '127.0.0.1', port };
  const standby = {
    address,
    async ask(sql: string) {
      const client = new pg.Client(address);
      await client.connect();
      try {
        return (await client.query<Record<string, unknown>>(sql)).rows;
      } finally {
        await client.end();
      }
    },
    async stop() {
      child.kill('SIGINT');
      await ended;
    },
  };
  while (child.exitCode === null && !(await standby.ask('SELECT 1').catch(() => null))) await pause(50);
  return standby;
}

/** A migrated primary in a folder of its own, and a standby of it. */
export interface Pair {
  readonly cluster: Cluster;
  readonly standby: Standby;
  stop(): Promise<void>;
}

/** Makes a primary and its standby. */
export async function makePair(): Promise<Pair> {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-pair-'));
  makeDataFolder(folder);
  const cluster = await startCluster(folder, () => undefined);
  const dataSource = createDataSource(cluster.address, { poolSize: 2 });
  await dataSource.initialize();
  await migrate(dataSource);
  await dataSource.destroy();
  const standby = await makeStandby(cluster);
  return {
    cluster,
    standby,
    async stop() {
      await standby.stop();
      await cluster.stop();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Waits until something holds. */
export async function until(holds: () => boolean | Promise<boolean>): Promise<void> {
  while (!(await holds())) await new Promise((resolve) => setImmediate(resolve));
}

/** What a service with one standby does there. */
export type Watched = ReturnType<typeof watched>;

/** Watches what a service reads at its standby. */
export function watched(service: TestService) {
  const all = service.house.get(Standbys);
  /** How often something was read there so far. */
  const readThere = () => all.all[0]!.sent.done;
  return {
    readThere,
    /** Waits until the service knows that the standby has all that is there now. */
    async caughtUp(): Promise<void> {
      const [row] = await service.dataSource.query<{ place: string }[]>(
        `SELECT pg_current_wal_flush_lsn()::text AS place`,
      );
      await until(() => all.at(row!.place) !== null);
    },
    /** Makes a call until the standby answers it: a service that is kept from asking how far that is reads at the primary meanwhile. */
    async there<T>(call: () => Promise<T>): Promise<T> {
      for (;;) {
        await until(() => all.at('0/0') !== null);
        const before = readThere();
        const answer = await call();
        if (readThere() > before) return answer;
      }
    },
  };
}

/** Kills a cluster and every process of it at once, as a machine that loses its power. */
export function killCluster({ folder }: Cluster): void {
  const [pid] = readFileSync(join(folder, 'postmaster.pid'), 'utf8').split('\n');
  process.kill(-Number(pid), 'SIGKILL');
}
