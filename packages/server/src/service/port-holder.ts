import { readdirSync, readFileSync, readlinkSync } from 'node:fs';

/**
 * Which process listens on a port of this machine, as `name (process N)`, or null where that cannot be known.
 * Reads /proc, so it tells of other users' processes only to root.
 */
export function holderOf(port: number): string | null {
  try {
    const inode = ['/proc/net/tcp', '/proc/net/tcp6'].map((table) => listeningInode(table, port)).find(Boolean);
    if (!inode) return null;
    const pid = readdirSync('/proc')
      .filter((name) => /^\d+$/.test(name))
      .find((name) => holds(name, inode));
    return pid ? `${readFileSync(`/proc/${pid}/comm`, 'utf8').trim()} (process ${pid})` : null;
  } catch {
    return null;
  }
}

const LISTEN = '0A';

function listeningInode(table: string, port: number): string | undefined {
  const hex = port.toString(16).toUpperCase().padStart(4, '0');
  const rows = readFileSync(table, 'utf8')
    .split('\n')
    .map((line) => line.trim().split(/\s+/));
  return rows.find((row) => row[1]?.endsWith(`:${hex}`) && row[3] === LISTEN)?.[9];
}

function holds(pid: string, inode: string): boolean {
  try {
    return readdirSync(`/proc/${pid}/fd`).some((fd) => readlinkSync(`/proc/${pid}/fd/${fd}`) === `socket:[${inode}]`);
  } catch {
    return false;
  }
}
