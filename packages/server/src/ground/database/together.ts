import type { Writable } from 'node:stream';
import type { Pool, PoolClient, QueryResult } from 'pg';
import type { DataSource } from 'typeorm';
import { measuring } from '../metrics/measured.js';
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

/** A connection for some work. */
export function lease(pool: Pool): Promise<{ client: PoolClient; release: (broken: boolean) => void }> {
  return new Promise((resolve, reject) => {
    pool.connect((unreached, client, done) => {
      if (!client) return reject(unreached!);
      resolve({ client, release: done });
    });
  });
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
 * Sends a query on a connection. By a callback: the promises of the package are two more for each.
 * @param measured as which statement it is measured; null where it is not
 */
export function sendTo(
  client: PoolClient,
  query: string | HotQuery,
  measured: string | null,
  answered: (error: Error | null, result: QueryResult) => void,
): void {
  const ended = measured === null ? null : measuring(measured);
  client.query(query as HotQuery, (error: Error | null, result) => {
    ended?.(Boolean(error));
    answered(error, result);
  });
}

/** The same by one promise. */
export const answerTo = (
  client: PoolClient,
  query: string | HotQuery,
  measured: string | null = null,
): Promise<QueryResult> =>
  new Promise((resolve, reject) =>
    sendTo(client, query, measured, (error, result) => (error ? reject(error) : resolve(result))),
  );

/**
 * Sends queries, at least one, over one connection of a pool.
 * @param answered told of each that was
 * @throws where there is no connection to be had
 */
export async function allAtOnce(
  pool: Pool,
  queries: readonly HotQuery[],
  answered: (i: number, result: QueryResult) => void,
): Promise<Outcome[]> {
  const { client, release } = await lease(pool);
  const outcomes = await new Promise<Outcome[]>((resolve) => {
    const ended: Outcome[] = [];
    let left = queries.length;
    const send = (query: HotQuery, i: number) =>
      sendTo(client, query, query.plain ?? query.text, (error, result) => {
        ended[i] = error ? { error } : { rows: result.rows };
        if (!error) answered(i, result);
        if (--left === 0) resolve(ended);
      });
    inOnePacket(client, () => queries.forEach(send));
  });
  // As the pool does by itself: a connection on which something failed is not handed on.
  release(outcomes.some((each) => 'error' in each));
  return outcomes;
}
