import { execFile } from 'node:child_process';
import { chownSync, cpSync, existsSync, mkdirSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { DatabaseAddress } from '../address.js';
import { DatabaseFault } from '../database-fault.js';
import { clusterAccount, type Account } from './account.js';
import { binariesFor } from './binaries.js';
import { clusterHome } from './cluster.js';
import { replay, type Replay } from './replay.js';

const run = promisify(execFile);

/**
 * Copies a running cluster, as it is at the end of that, with what of the log is needed to start from it (a base backup of PostgreSQL).
 * @param to a folder that is new or empty
 * @throws DatabaseFault
 */
export async function copyCluster({ host, port, user, password }: DatabaseAddress, to: string): Promise<void> {
  mkdirSync(to, { recursive: true, mode: 0o700 });
  const at = ['-h', host, '-p', String(port), '-U', user, '--no-password'];
  // A checkpoint now rather than one spread over minutes.
  await postgresTool('pg_basebackup', to, ['-D', to, '-X', 'stream', '-c', 'fast', ...at], { PGPASSWORD: password });
}

/**
 * Puts a copy of a cluster where a service with this data folder looks for it, once every file of it was compared with what it was when
 * it was copied. It becomes the service's whole or not at all.
 * @param onwards the log that is replayed over it; null for the copy as it is
 * @returns when the last act of that log was committed that was replayed; null without one
 * @throws DatabaseFault where a cluster is there already, the copy is damaged, or the log does not lead where it is to
 */
export async function placeCluster(
  from: string,
  { data, password, onwards }: { readonly data: string; readonly password: string; readonly onwards: Replay | null },
  notice: (text: string) => void,
): Promise<Date | null> {
  const account = clusterAccount();
  const home = clusterHome(data, account, notice);
  const folder = join(home, 'pg');
  if (existsSync(folder) && readdirSync(folder).length > 0)
    throw new DatabaseFault(
      'cluster',
      `${data} has a database already: name another folder with --data, or move that one away.`,
    );
  await postgresTool('pg_verifybackup', from, ['--quiet', from]);
  const draft = `${folder}.restored`;
  rmSync(draft, { recursive: true, force: true });
  try {
    cpSync(from, draft, { recursive: true, preserveTimestamps: true });
    if (account) giveTo(draft, account);
    const parts = { home, folder: draft, binaries: binariesFor(draft), account };
    const last = onwards && (await replay(parts, password, onwards));
    writeFileSync(join(data, 'pg.password'), `${password}\n`, { mode: 0o600 });
    rmSync(folder, { recursive: true, force: true });
    renameSync(draft, folder);
    return last;
  } finally {
    // Of one that failed, as on a full disk, nothing stays.
    rmSync(draft, { recursive: true, force: true });
  }
}

async function postgresTool(
  name: string,
  cluster: string,
  options: string[],
  environment: Record<string, string | undefined> = {},
): Promise<void> {
  const path = join(binariesFor(cluster), name);
  try {
    await run(path, options, { cwd: '/', env: { ...process.env, ...environment } });
  } catch (error) {
    const said = (error as { stderr?: string }).stderr?.trim() || String(error);
    throw new DatabaseFault('cluster', `${name} failed: ${said}`);
  }
}

function giveTo(path: string, { uid, gid }: Account): void {
  chownSync(path, uid, gid);
  for (const name of readdirSync(path, { recursive: true, encoding: 'utf8' })) chownSync(join(path, name), uid, gid);
}
