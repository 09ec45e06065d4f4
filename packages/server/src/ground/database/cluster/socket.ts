import { chownSync, existsSync, mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { socketPath } from '../address.js';
import type { ClusterParts } from './launch.js';

/** The longest path that an address of a socket holds everywhere (`sun_path`), in bytes. */
const LONGEST_PATH = 103;

/**
 * The folder of a cluster's Unix socket, by which the service talks to it: a statement costs a fifth less there than over the loopback.
 * It is not among the cluster's files, which are copied whole.
 * @returns null where the path would be longer than a socket's may be
 */
export function socketFolder(home: string, port: number): string | null {
  const folder = join(home, 'socket');
  return Buffer.byteLength(socketPath({ host: folder, port })) <= LONGEST_PATH ? folder : null;
}

/** Makes it anew for a server that is about to start: what one left behind that was killed is gone then. */
export function makeSocketFolder(
  { home, account }: Pick<ClusterParts, 'home' | 'account'>,
  port: number,
): string | null {
  const folder = socketFolder(home, port);
  if (folder === null) return null;
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { mode: 0o700 });
  if (account) chownSync(folder, account.uid, account.gid);
  return folder;
}

/** A folder as `unix_socket_directories` takes it, which is a list. */
export const inList = (folder: string): string => `"${folder.replaceAll('"', '""')}"`;

/** The host that leads to a server that runs: its socket where it has one, else the loopback. */
export function hostOf(home: string, port: number): string {
  const folder = socketFolder(home, port);
  return folder !== null && existsSync(socketPath({ host: folder, port })) ? folder : '127.0.0.1';
}
