import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DatabaseFault } from '../database-fault.js';

/** When a process started, in clock ticks since boot: together with its id it names one process for good. */
function startedAt(pid: number): string | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? null;
  } catch {
    return null;
  }
}

/** The process that uses a data folder now, or null. */
export function lockHolder(folder: string): number | null {
  try {
    const [pid, start] = readFileSync(join(folder, 'service.lock'), 'utf8').trim().split(' ');
    return start !== undefined && startedAt(Number(pid)) === start ? Number(pid) : null;
  } catch {
    return null;
  }
}

/**
 * Lets one service at a time use a data folder. A lock left by a killed service is taken over.
 * @returns what gives the folder free again
 * @throws DatabaseFault when another service holds it
 */
export function lockFolder(folder: string): () => void {
  const path = join(folder, 'service.lock');
  const mine = `${process.pid} ${startedAt(process.pid)}\n`;
  for (let attempt = 0; ; attempt++) {
    try {
      writeFileSync(path, mine, { flag: 'wx' });
      break;
    } catch (error) {
      if ((error as { code?: string }).code !== 'EEXIST') throw error;
      const [pid, start] = readFileSync(path, 'utf8').trim().split(' ');
      if (attempt > 2 || startedAt(Number(pid)) === start)
        throw new DatabaseFault(
          'cluster',
          `Another Gather Lane (process ${pid}) uses ${folder}: stop it first, or choose another folder with --data.`,
        );
      rmSync(path, { force: true });
    }
  }
  return () => rmSync(path, { force: true });
}
