import type { Writable } from 'node:stream';
import type { Pool, PoolClient, QueryResult } from 'pg';
import type { DataSource } from 'typeorm';
import { measured } from '../metrics/measured.js';
import type { HotQuery } from './model-data-source.js';

/** A statement that was marked as `prepared`, with what is sent along. */
export interface Statement {
  readonly sql: string;
  readonly parameters: readonly unknown[];
}

/** What came of a statement: its rows, or why there are none. */
export type Outcome<T = unknown> = { readonly rows: T[] } | { readonly error: unknown };

/** A data source that can send several statements at once. */
interface Pipelining {
  together(statements: readonly Statement[]): Promise<Outcome[]>;
}

/**
 * Sends statements that read one after another on one connection, without waiting in between: each is a transaction with a
 * snapshot of its own, and fails for itself. Cost: one round trip for all of them.
 */
export const together = (dataSource: DataSource, statements: readonly Statement[]): Promise<Outcome[]> =>
  (dataSource as DataSource & Pipelining).together(statements);

/** The rows of a statement. @throws what it failed with */
export function rowsOf<T>(outcome: Outcome): T[] {
  if ('error' in outcome) throw outcome.error;
  return outcome.rows as T[];
}

/** A connection for some work. That it breaks is told to whoever waits for it on it; unheard, it would end the process. */
export async function lease(pool: Pool): Promise<{ client: PoolClient; release: (broken: boolean) => void }> {
  const client = await pool.connect();
  const unheard = () => undefined;
  client.on('error', unheard);
  return {
    client,
    release: (broken) => {
      client.removeListener('error', unheard);
      client.release(broken);
    },
  };
}

/** A connection of a data source on which statements are prepared, for whoever holds it long. */
export const leaseHot = (dataSource: DataSource): ReturnType<typeof lease> =>
  lease((dataSource as DataSource & { readonly hot: Pool }).hot);

/** Sends all that some work sends in one packet: the database is woken once. */
export function inOnePacket<T>(client: PoolClient, send: () => T): T {
  const { stream } = (client as PoolClient & { readonly connection?: { readonly stream: Writable } }).connection ?? {};
  stream?.cork();
  const sent = send();
  stream?.uncork();
  return sent;
}

/**
 * Sends queries over one connection of a pool.
 * @param answered told of each that was
 * @throws where there is no connection to be had
 */
export async function allAtOnce(
  pool: Pool,
  queries: readonly HotQuery[],
  answered: (i: number, result: QueryResult) => void,
): Promise<Outcome[]> {
  const { client, release } = await lease(pool);
  const sent = inOnePacket(client, () =>
    queries.map((query) => measured(query.plain ?? query.text, client.query(query))),
  );
  const settled = await Promise.allSettled(sent);
  const failed = settled.find((each) => each.status === 'rejected');
  // As the pool does by itself: a connection on which something failed is not handed on.
  release(failed !== undefined);
  return settled.map((each, i) => {
    if (each.status === 'rejected') return { error: each.reason as unknown };
    answered(i, each.value);
    return { rows: each.value.rows as unknown[] };
  });
}
