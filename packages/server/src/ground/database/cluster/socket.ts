import { chownSync, existsSync, mkdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { socketPath } from '../address.js';
import type { ClusterParts, Settings } from './launch.js';

/** The longest path that an address of a socket holds everywhere (`sun_path`), in bytes. */
const LONGEST_PATH = 103;
const HIGHEST_PORT = 65_535;

/** The folder of a cluster's Unix socket, or null where its path would be longer than a socket's may be. */
function socketFolder(home: string): string | null {
  const folder = join(home, 'socket');
  return Buffer.byteLength(socketPath({ host: folder, port: HIGHEST_PORT })) <= LONGEST_PATH ? folder : null;
}

/**
 * The setting by which a server that is about to start has a Unix socket, by which the service talks to it: a statement costs a fifth less
 * there than over the loopback. Its folder is not among the cluster's files, which are copied whole, and is made anew: what one left behind
 * that was killed is gone then. It has none where its file system takes no sockets, as some that are shared with a host do not: it
 * would not start.
 */
export async function withSocket({ home, account }: Pick<ClusterParts, 'home' | 'account'>): Promise<Settings> {
  const folder = socketFolder(home);
  if (folder === null) return {};
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { mode: 0o700 });
  if (!(await takesSockets(folder))) return {};
  if (account) chownSync(folder, account.uid, account.gid);
  // It is a list.
  return { unix_socket_directories: `"${folder.replaceAll('"', '""')}"` };
}

/** Whether there can be a Unix socket in a folder. */
export function takesSockets(folder: string): Promise<boolean> {
  return new Promise((resolve) => {
    const probe = createServer().once('error', () => resolve(false));
    probe.listen(join(folder, 'probe'), () => probe.close(() => resolve(true)));
  });
}

/** The host that leads to a server that runs: its socket where it has one, else the loopback. */
export function hostOf(home: string, port: number): string {
  const folder = socketFolder(home);
  return folder !== null && existsSync(socketPath({ host: folder, port })) ? folder : '127.0.0.1';
}
