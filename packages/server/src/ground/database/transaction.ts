import { QueryFailedError, type DataSource, type EntityManager } from 'typeorm';
import { OutcomeUnknown, wasCutOff } from './gone.js';

/** SQLSTATE of a failed statement, or undefined for any other error. */
export function sqlState(error: unknown): string | undefined {
  return error instanceof QueryFailedError ? (error.driverError as { code?: string }).code : undefined;
}

/** The constraint that a failed statement broke, or undefined. */
export function brokenConstraint(error: unknown): string | undefined {
  return error instanceof QueryFailedError ? (error.driverError as { constraint?: string }).constraint : undefined;
}

/** The column that a failed statement left without the value it must have, or undefined. */
export function brokenColumn(error: unknown): string | undefined {
  return error instanceof QueryFailedError && sqlState(error) === '23502'
    ? (error.driverError as { column?: string }).column
    : undefined;
}

const DEADLOCK = '40P01';
const SERIALIZATION = '40001';

/**
 * Does something once more after a deadlock or a serialization failure: our own writes take their locks in one order, but
 * hand-written SQL on the same tables may not.
 */
export async function retried<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const state = sqlState(error);
    if (state !== DEADLOCK && state !== SERIALIZATION) throw error;
    return work();
  }
}

/**
 * Runs work in one transaction; see `retried`.
 * @throws OutcomeUnknown when the connection breaks while it is being committed
 */
export function inTransaction<T>(dataSource: DataSource, work: (manager: EntityManager) => Promise<T>): Promise<T> {
  return retried(async () => {
    const runner = dataSource.createQueryRunner();
    try {
      await runner.startTransaction();
      const result = await work(runner.manager);
      await runner.commitTransaction().catch((error: unknown) => {
        throw wasCutOff(error) ? new OutcomeUnknown('the connection broke at COMMIT', { cause: error }) : error;
      });
      return result;
    } catch (error) {
      if (runner.isTransactionActive && !runner.isReleased) await runner.rollbackTransaction().catch(() => undefined);
      throw error;
    } finally {
      if (!runner.isReleased) await runner.release();
    }
  });
}
