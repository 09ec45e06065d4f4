import { chownSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import pg from 'pg';
import { DatabaseFault } from '../database-fault.js';
import { addressAt } from './cluster.js';
import { ClusterKeeper, isAlive } from './keeper.js';
import { replayOf } from './kept-log.js';
import { lastWords, launch, type ClusterParts } from './launch.js';

const LOOK_EVERY_MS = 200;

/** Which log is replayed over a copy of a cluster, and how far. */
export interface Replay {
  readonly log: string;
  /** Null for all of it. */
  readonly until: Date | null;
}

/**
 * Replays a kept log over a copy of a cluster, however long that takes, and stops it again.
 * @returns when the last act that it holds now was committed; null where the log held none
 * @throws DatabaseFault where the log does not lead there
 */
export async function replay(parts: ClusterParts, password: string, { log, until }: Replay): Promise<Date | null> {
  const more = await replayOf(parts, log, until);
  const signal = join(parts.folder, 'recovery.signal');
  writeFileSync(signal, '', { mode: 0o600 });
  if (parts.account) chownSync(signal, parts.account.uid, parts.account.gid);
  const { pid, port } = await launch(parts, { more });
  const keeper = new ClusterKeeper(pid, () => Promise.resolve(pid));
  try {
    for (;;) {
      if (!isAlive(pid)) throw new DatabaseFault('cluster', whyNot(lastWords(parts.home), log, until));
      const state = await stateAt(port, password);
      if (state && !state.recovering) return state.last;
      await pause(LOOK_EVERY_MS);
    }
  } finally {
    await keeper.stop();
  }
}

async function stateAt(port: number, password: string): Promise<{ recovering: boolean; last: Date | null } | null> {
  const client = new pg.Client({ ...addressAt(port, password), database: 'postgres', connectionTimeoutMillis: 5_000 });
  client.on('error', () => undefined);
  try {
    await client.connect();
    const { rows } = await client.query<{ recovering: boolean; last: Date | null }>(
      `SELECT pg_is_in_recovery() AS recovering, pg_last_xact_replay_timestamp() AS last`,
    );
    return rows[0]!;
  } catch {
    return null;
  } finally {
    await client.end().catch(() => undefined);
  }
}

function whyNot(said: string, log: string, until: Date | null): string {
  if (until && said.includes('recovery ended before configured recovery target'))
    return `The log in ${log} does not reach ${until.toISOString()}: of a database that runs it is copied within a minute. Wait, name an earlier instant, or leave --until out.`;
  return `The log in ${log} could not be replayed:\n${said}`;
}
