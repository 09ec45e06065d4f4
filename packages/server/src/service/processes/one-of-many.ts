import cluster from 'node:cluster';
import type { DatabaseAddress } from '../../ground/database/address.js';

/** What a process is told that serves beside others of the same service. */
export interface OneOfMany {
  readonly address: DatabaseAddress;
  /** So many connections that all of them together fit into those of the server. */
  readonly poolSize: number;
}

const VARIABLE = 'ONE_OF_MANY';

/** The environment of such a process. */
export const asOneOfMany = (told: OneOfMany): NodeJS.ProcessEnv => ({ [VARIABLE]: JSON.stringify(told) });

/** What this process was told, or null where it is the only one or the one that keeps the others. */
export function oneOfMany(): OneOfMany | null {
  const text = process.env[VARIABLE];
  return cluster.isWorker && text !== undefined ? (JSON.parse(text) as OneOfMany) : null;
}

/** What such a process says where it cannot start. */
export interface Refusal {
  readonly refused: string;
}
