import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { DatabaseAddress } from '../ground/database/address.js';
import { lockHolder } from '../ground/database/cluster/service-lock.js';

/** What a running service says of itself in its data folder, for commands beside it. */
export interface RunningService {
  readonly address: string;
  /** The server of the developer's own that it uses; null for the embedded cluster. */
  readonly database: DatabaseAddress | null;
}

const pathIn = (data: string): string => join(data, 'service.json');

/** Writes it down, for the account of the service alone: a password may be in it. @returns what takes it away again */
export function noteRunning(data: string, service: RunningService): () => void {
  writeFileSync(pathIn(data), JSON.stringify(service, null, 2) + '\n', { mode: 0o600 });
  return () => rmSync(pathIn(data), { force: true });
}

/** The service that runs on a data folder now, or null. */
export function runningService(data: string): RunningService | null {
  if (lockHolder(data) === null) return null;
  try {
    return JSON.parse(readFileSync(pathIn(data), 'utf8')) as RunningService;
  } catch {
    return null;
  }
}
