import { execFile } from 'node:child_process';
import { chownSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { promisify } from 'node:util';
import { inShellQuotes } from '@gather-lane/core';
import type { Config } from '../../config/schema.js';
import { DatabaseFault } from '../database-fault.js';
import { firstClosedFolder } from './account.js';
import type { ClusterParts, Settings } from './launch.js';

const run = promisify(execFile);

/** In the folder of a kept log: whose it is. */
const OWNER_FILE = 'cluster-id';
/** A part of the log that is not full is written out after so long. */
const AFTER_SECONDS = 60;

/** The folder of the log that a configuration names; undefined where none is kept. @param folder that a relative one is in */
export const keptLogFolder = ({ database: { keepLog } }: Config, folder: string): string | undefined =>
  keepLog === undefined ? undefined : resolve(folder, keepLog);

/**
 * Makes a folder ready for the log of a cluster.
 * @returns the settings by which the server copies it there
 * @throws DatabaseFault for a folder that its account cannot reach, or one with the log of another cluster
 */
export async function keepLogOf({ folder, binaries, account }: ClusterParts, log: string): Promise<Settings> {
  // The account of the server has to pass through what is above.
  mkdirSync(dirname(log), { recursive: true });
  if (!existsSync(log)) mkdirSync(log, { mode: 0o700 });
  if (account) {
    const closed = firstClosedFolder(dirname(log), account);
    if (closed)
      throw new DatabaseFault(
        'cluster',
        `database.keepLog is ${log}, and the postgres account cannot pass through ${closed}: name another folder, or let it pass (chmod o+x).`,
      );
    chownSync(log, account.uid, account.gid);
  }
  const id = await clusterId(folder, binaries);
  const owner = ownerOf(log);
  if (owner !== null && owner !== id)
    throw new DatabaseFault(
      'cluster',
      `database.keepLog is ${log}, which holds the log of another database: name an empty folder.`,
    );
  if (owner === null) writeFileSync(join(log, OWNER_FILE), `${id}\n`);
  return copyingTo(log);
}

const copyingTo = (log: string): Settings => ({
  archive_mode: 'on',
  archive_command: copying(log),
  archive_timeout: AFTER_SECONDS,
});

/**
 * The settings by which a server replays a kept log over a copy.
 * @param until no act that was committed later is replayed; null for all of them
 * @throws DatabaseFault where the folder does not hold the log of that cluster
 */
export async function replayOf(
  { folder, binaries }: Pick<ClusterParts, 'folder' | 'binaries'>,
  log: string,
  until: Date | null,
): Promise<Settings> {
  const owner = ownerOf(log);
  if (owner === null)
    throw new DatabaseFault(
      'cluster',
      `${log} holds no log of a database: name the folder that database.keepLog named.`,
    );
  if (owner !== (await clusterId(folder, binaries)))
    throw new DatabaseFault('cluster', `${log} holds the log of another database than the back-up is of.`);
  return {
    // It begins a timeline of its own, and says so there: whoever restores the same once more takes the next one, and no two of them ever
    // write a part of one name.
    ...copyingTo(log),
    restore_command: `cp ${inShell(log)}/%f %p`,
    recovery_target_action: 'promote',
    // Along what the database did that the back-up is of, not what a copy did that was restored from it.
    recovery_target_timeline: 'current',
    // No zone but a number is known yet when it is read.
    ...(until && { recovery_target_time: until.toISOString().replace('T', ' ').replace('Z', '+00') }),
  };
}

const ownerOf = (log: string): string | null =>
  existsSync(join(log, OWNER_FILE)) ? readFileSync(join(log, OWNER_FILE), 'utf8').trim() : null;

/** What tells a cluster and its copies from every other. */
async function clusterId(folder: string, binaries: string): Promise<string> {
  const { stdout } = await run(join(binaries, 'pg_controldata'), [folder], { cwd: '/', env: { LC_ALL: 'C' } });
  return /Database system identifier:\s*(\d+)/.exec(stdout)![1]!;
}

/**
 * Copies a part of the log whole or not at all, once; one that was copied right before the server was killed counts as done. The half part
 * at which a timeline was left is the other's.
 */
function copying(log: string): string {
  const to = `${inShell(log)}/%f`;
  const copy = `cmp -s %p ${to} || (test ! -e ${to} && cp %p ${to}.part && sync ${to}.part && mv ${to}.part ${to})`;
  return `case %f in *.partial) ;; *) ${copy} ;; esac`;
}

/** As a word of a shell, in a setting of PostgreSQL where a percent sign stands for more. */
const inShell = (path: string): string => inShellQuotes(path).replaceAll('%', '%%');
