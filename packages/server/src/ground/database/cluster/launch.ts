import { spawn } from 'node:child_process';
import { closeSync, existsSync, openSync, readFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { totalmem } from 'node:os';
import { join } from 'node:path';
import { DatabaseFault } from '../database-fault.js';
import type { Account } from './account.js';

/** What a server is started with, by the names of PostgreSQL. */
export type Settings = Readonly<Record<string, string | number>>;

/** What a cluster consists of. */
export interface ClusterParts {
  /** Where its log of messages is, beside it. */
  readonly home: string;
  /** Where its files are. */
  readonly folder: string;
  readonly binaries: string;
  /** Who runs it; null for the account of the service. */
  readonly account: Account | null;
}

function settings(port: number, binaries: string): Settings {
  const mb = Math.floor(totalmem() / 1_048_576);
  return {
    listen_addresses: '127.0.0.1',
    unix_socket_directories: '',
    port,
    max_connections: 120,
    shared_buffers: `${Math.min(Math.max(Math.floor(mb / 8), 64), 2048)}MB`,
    effective_cache_size: `${Math.max(Math.floor(mb / 2), 256)}MB`,
    maintenance_work_mem: `${Math.min(Math.max(Math.floor(mb / 32), 64), 512)}MB`,
    max_wal_size: '2GB',
    // Most of the log is pages that a checkpoint makes be logged whole: a third of it goes, for a few microseconds a write.
    wal_compression: 'lz4',
    random_page_cost: 1.1,
    // Every statement of the service is short: compiling one costs more than running it.
    jit: 'off',
    autovacuum_naptime: '10s',
    timezone: 'UTC',
    log_timezone: 'UTC',
    ...(existsSync(join(binaries, '../lib/pg_stat_statements.so')) && {
      'shared_preload_libraries': 'pg_stat_statements',
      // Their texts are kept as they are, and may name what nobody else should read.
      'pg_stat_statements.track_utility': 'off',
    }),
  };
}

/**
 * Starts the server of a cluster; it may not answer yet.
 * @param more settings beside those that each has
 * @throws DatabaseFault
 */
export async function launch(
  { home, folder, binaries, account }: ClusterParts,
  { samePort, more = {} }: { readonly samePort?: number | undefined; readonly more?: Settings },
): Promise<{ pid: number; port: number }> {
  const port = samePort ?? (await freePort());
  const options = Object.entries({ ...settings(port, binaries), ...more }).flatMap(([name, value]) => [
    '-c',
    `${name}=${value}`,
  ]);
  const log = openSync(join(home, 'pg.log'), 'a', 0o600);
  // Detached: Ctrl-C in the terminal reaches the service alone, which then stops the cluster in order.
  const child = spawn(join(binaries, 'postgres'), ['-D', folder, ...options], {
    ...account,
    cwd: '/',
    detached: true,
    stdio: ['ignore', log, log],
  });
  closeSync(log);
  child.unref();
  await new Promise<void>((resolve, reject) => {
    child.once('spawn', resolve);
    child.once('error', (error) =>
      reject(new DatabaseFault('cluster', `postgres could not be started: ${error.message}`)),
    );
  });
  return { pid: child.pid!, port };
}

/** A port on loopback that nobody listens on now. */
export function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const probe = createServer().once('error', reject);
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });
}

/** The last that the server of a cluster said. */
export const lastWords = (home: string): string => lastLines(join(home, 'pg.log'));

function lastLines(path: string): string {
  return existsSync(path) ? readFileSync(path, 'utf8').trim().split('\n').slice(-5).join('\n') : '';
}
