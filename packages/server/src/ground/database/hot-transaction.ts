import type { DataSource } from 'typeorm';
import { retried } from './transaction.js';

/** What statements are sent through, one after another: a data source, or a transaction of one. */
export interface Querying {
  query<T = unknown>(sql: string, parameters?: unknown[]): Promise<T>;
}

/** A data source that opens transactions where statements are prepared. */
interface Preparing {
  transactHot<T>(work: (transaction: Querying) => Promise<T>): Promise<T>;
}

/**
 * Runs work in one transaction on a connection where statements that matter are prepared by name; see `retried`. What a statement
 * yields are its rows, whatever it does.
 * @throws OutcomeUnknown when the connection breaks while it is being committed
 */
export const inHotTransaction = <T>(dataSource: DataSource, work: (transaction: Querying) => Promise<T>): Promise<T> =>
  retried(() => (dataSource as DataSource & Preparing).transactHot(work));
