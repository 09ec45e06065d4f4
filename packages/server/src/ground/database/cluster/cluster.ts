import { execFile } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { chmodSync, chownSync, existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { promisify } from 'node:util';
import pg from 'pg';
import type { DatabaseAddress } from '../address.js';
import { DatabaseFault } from '../database-fault.js';
import { clusterAccount, firstClosedFolder, type Account } from './account.js';
import { binariesFor } from './binaries.js';
import { ClusterKeeper, isAlive } from './keeper.js';
import { keepLogOf } from './kept-log.js';
import { lastWords, launch, type ClusterParts, type Settings } from './launch.js';
import { hostOf, withSocket } from './socket.js';

export { freePort } from './launch.js';

const run = promisify(execFile);
const DATABASE = 'gather_lane';
const ROLE = 'postgres';
const START_SECONDS = 60;

/** A PostgreSQL cluster of ours on loopback. */
export interface Cluster {
  readonly address: DatabaseAddress;
  /** Where its files are. */
  readonly folder: string;
  /** True when it had outlived an earlier service and was taken over. */
  readonly adopted: boolean;
  /**
   * Watches it from now on: should it end by itself, it is started again, on the same port.
   * @param said is told what happens, in sentences
   */
  watch(said: (text: string) => void): void;
  /** Stops it and waits until it is gone. */
  stop(): Promise<void>;
}

/**
 * Starts the embedded cluster of a data folder, makes it first where there is none, or adopts the one
 * that outlived a killed service.
 * @param data the service's data folder, absolute
 * @param notice is told what the operator should know, in a sentence
 * @throws DatabaseFault
 */
export async function startCluster(
  data: string,
  notice: (text: string) => void,
  { keepLog, connections }: ClusterChoices = {},
): Promise<Cluster> {
  const account = clusterAccount();
  if (process.getuid?.() === 0 && !account)
    throw new DatabaseFault(
      'cluster',
      'There is no postgres account to run the cluster: apt-get install postgresql, or start the service as another user than root.',
    );
  const home = clusterHome(data, account, notice);
  const folder = join(home, 'pg');
  const password = clusterPassword(data);
  const binaries = binariesFor(folder);

  const running = await findRunning(folder, password);
  if (!running && !existsSync(join(folder, 'PG_VERSION'))) await makeCluster(home, folder, binaries, password, account);
  const logSettings = keepLog === undefined ? {} : await keepLogOf({ home, folder, binaries, account }, keepLog);
  const settings = { ...logSettings, ...(connections !== undefined && { max_connections: connections }) };
  const parts = { home, folder, binaries, account, password, settings };
  if (running) {
    const adopted = clusterOf(parts, running, true);
    const found = `A cluster that outlived an earlier service was found on port ${running.port}`;
    if (keepLog === undefined || (await keepsLog(adopted.address, logSettings))) {
      notice(`${found} and is used again.`);
      return adopted;
    }
    notice(`${found}; it kept its log elsewhere or not at all, and is started again.`);
    await adopted.stop();
  }
  const started = await launch(parts, { more: { ...settings, ...(await withSocket(parts)) } });
  await untilReady(addressAt(started.port, password), started.pid, home);
  const cluster = clusterOf(parts, started, false);
  await makeDatabase(cluster.address);
  return cluster;
}

interface Parts extends ClusterParts {
  readonly password: string;
  readonly settings: Settings;
}

/** What is done with a cluster beside running it. */
export interface ClusterChoices {
  /** A folder into which its log is copied as it is written. */
  readonly keepLog?: string | undefined;
  /** As many connections it takes at most, where that is not left to it. */
  readonly connections?: number;
}

function clusterOf(parts: Parts, { pid, port }: { pid: number; port: number }, adopted: boolean): Cluster {
  const { home, folder, password, settings } = parts;
  const address = addressAt(port, password, hostOf(home, port));
  const keeper = new ClusterKeeper(pid, async () => {
    const again = await launch(parts, { samePort: port, more: { ...settings, ...(await withSocket(parts)) } });
    await untilReady(address, again.pid, home);
    return again.pid;
  });
  return { address, folder, adopted, watch: (said) => keeper.watch(said), stop: () => keeper.stop() };
}

/** The address of a cluster of ours, on the loopback unless another host is named. */
export function addressAt(port: number, password: string, host = '127.0.0.1'): DatabaseAddress {
  return { host, port, user: ROLE, password, database: DATABASE, ssl: false };
}

/** Where the cluster of a data folder is kept. @param notice is told where that is another folder */
export function clusterHome(data: string, account: Account | null, notice: (text: string) => void): string {
  const closed = account && firstClosedFolder(data, account);
  if (!closed) return data;
  const slug = createHash('sha256').update(data).digest('hex').slice(0, 12);
  const home = join('/var/lib/gather-lane', slug);
  notice(`The postgres account cannot pass through ${closed}, so the database is kept in ${home} instead.`);
  mkdirSync(home, { recursive: true, mode: 0o755 });
  return home;
}

function clusterPassword(data: string): string {
  const path = join(data, 'pg.password');
  if (!existsSync(path)) writeFileSync(path, randomBytes(24).toString('base64url') + '\n', { mode: 0o600 });
  return readFileSync(path, 'utf8').trim();
}

async function makeCluster(
  home: string,
  folder: string,
  binaries: string,
  password: string,
  account: Account | null,
): Promise<void> {
  // Made beside its place and moved there whole, so that being killed leaves no half cluster.
  const draft = `${folder}.new`;
  const passwordFile = `${folder}.secret`;
  rmSync(draft, { recursive: true, force: true });
  mkdirSync(draft, { mode: 0o700 });
  writeFileSync(passwordFile, password, { mode: 0o600 });
  if (account) for (const path of [draft, passwordFile]) chownSync(path, account.uid, account.gid);
  try {
    const options = [
      '-D',
      draft,
      '-U',
      ROLE,
      '-A',
      'scram-sha-256',
      `--pwfile=${passwordFile}`,
      '-E',
      'UTF8',
      '--locale=C.UTF-8',
      '--no-sync',
    ];
    await run(join(binaries, 'initdb'), options, { ...account, cwd: '/' });
  } catch (error) {
    rmSync(draft, { recursive: true, force: true });
    throw new DatabaseFault(
      'cluster',
      `The database cluster could not be made in ${home}: ${(error as { stderr?: string }).stderr?.trim() || String(error)}`,
    );
  } finally {
    rmSync(passwordFile, { force: true });
  }
  renameSync(draft, folder);
}

async function untilReady(address: DatabaseAddress, pid: number, home: string): Promise<void> {
  const deadline = Date.now() + START_SECONDS * 1000;
  for (;;) {
    if (await answers({ ...address, database: 'postgres' })) return;
    if (!isAlive(pid) || Date.now() > deadline)
      throw new DatabaseFault(
        'cluster',
        `The database cluster did not start; its log is ${join(home, 'pg.log')}:\n${lastWords(home)}`,
      );
    await pause(50);
  }
}

async function answers(address: DatabaseAddress, dataDirectory?: string): Promise<boolean> {
  const client = new pg.Client({ ...address, connectionTimeoutMillis: 5_000 });
  client.on('error', () => undefined);
  try {
    await client.connect();
    const { rows } = await client.query<{ folder: string }>(`SELECT current_setting('data_directory') AS folder`);
    return dataDirectory === undefined || rows[0]?.folder === dataDirectory;
  } catch {
    return false;
  } finally {
    await client.end().catch(() => undefined);
  }
}

/** A live cluster of this folder: its own pid file names it, and it answers to our password from that folder. */
async function findRunning(folder: string, password: string): Promise<{ pid: number; port: number } | null> {
  const path = join(folder, 'postmaster.pid');
  if (!existsSync(path)) return null;
  const lines = readFileSync(path, 'utf8').split('\n');
  const [pid, port] = [Number(lines[0]), Number(lines[3])];
  for (let attempt = 0; attempt < 20 && pid > 0 && isAlive(pid); attempt++) {
    if (port > 0 && (await answers({ ...addressAt(port, password), database: 'postgres' }, folder)))
      return { pid, port };
    await pause(100);
  }
  return null;
}

/** Whether a server that runs copies its log as it is to. */
async function keepsLog(address: DatabaseAddress, { archive_command: command }: Settings): Promise<boolean> {
  const client = new pg.Client({ ...address, database: 'postgres' });
  await client.connect();
  try {
    const { rows } = await client.query<{ same: boolean }>(`SELECT current_setting('archive_command') = $1 AS same`, [
      command,
    ]);
    return rows[0]!.same;
  } finally {
    await client.end();
  }
}

async function makeDatabase(address: DatabaseAddress): Promise<void> {
  const client = new pg.Client({ ...address, database: 'postgres' });
  await client.connect();
  try {
    const { rowCount } = await client.query(`SELECT FROM pg_database WHERE datname = $1`, [DATABASE]);
    if (rowCount === 0) await client.query(`CREATE DATABASE ${DATABASE}`);
  } finally {
    await client.end();
  }
}

/** The address of a data folder's cluster when it is running, or null. */
export async function findCluster(data: string): Promise<DatabaseAddress | null> {
  const password = clusterPassword(data);
  const home = clusterHome(data, clusterAccount(), () => undefined);
  const running = await findRunning(join(home, 'pg'), password);
  return running && addressAt(running.port, password, hostOf(home, running.port));
}

/** Makes the data folder, open enough for the cluster's account to pass through, and no more. */
export function makeDataFolder(data: string): void {
  mkdirSync(data, { recursive: true });
  chmodSync(data, process.getuid?.() === 0 ? 0o711 : 0o700);
}
