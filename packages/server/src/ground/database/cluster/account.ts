import { readFileSync, statSync } from 'node:fs';
import { dirname, parse } from 'node:path';

/** The system account that runs the cluster. */
export interface Account {
  readonly uid: number;
  readonly gid: number;
}

/**
 * PostgreSQL refuses to run as root: then it is the `postgres` account that Debian's package makes.
 * @returns null when the service is not root and its own account will do
 */
export function clusterAccount(): Account | null {
  if (process.getuid?.() !== 0) return null;
  const line = readFileSync('/etc/passwd', 'utf8')
    .split('\n')
    .find((entry) => entry.startsWith('postgres:'));
  if (!line) return null;
  const [, , uid, gid] = line.split(':');
  return { uid: Number(uid), gid: Number(gid) };
}

/** The first folder above `path` (or `path` itself) that the account may not pass through, or null. */
export function firstClosedFolder(path: string, { uid, gid }: Account): string | null {
  const root = parse(path).root;
  const chain: string[] = [];
  for (let at = path; ; at = dirname(at)) {
    chain.unshift(at);
    if (at === root) break;
  }
  for (const folder of chain) {
    const stat = statSync(folder, { throwIfNoEntry: false });
    // What is not there yet will be made by us, open enough.
    if (!stat) return null;
    const bit = stat.uid === uid ? 0o100 : stat.gid === gid ? 0o010 : 0o001;
    if (!(stat.mode & bit)) return folder;
  }
  return null;
}
