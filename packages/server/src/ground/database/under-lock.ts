import type { DataSource, QueryRunner } from 'typeorm';

/**
 * Does what one process at a time may do on a database: under an advisory lock, held by a connection of its own for as long as the
 * work takes. The lock ends with the connection, so that a process that was killed blocks nobody.
 * @param lock an SQL expression for its number, as `hashtext('…')`
 * @param work is given the connection that holds the lock
 * @param taken what is to be done where somebody else holds it; without it, they are waited for
 */
export async function underLock<T>(
  dataSource: DataSource,
  lock: string,
  work: (runner: QueryRunner) => Promise<T>,
  taken?: () => T,
): Promise<T> {
  const runner = dataSource.createQueryRunner();
  try {
    if (!taken) await runner.query(`SELECT pg_advisory_lock(${lock})`);
    else {
      const [{ mine }] = (await runner.query(`SELECT pg_try_advisory_lock(${lock}) AS mine`)) as [{ mine: boolean }];
      if (!mine) return taken();
    }
    return await work(runner);
  } finally {
    // The work may have let the connection go, and the lock with it. What went wrong before is what is told.
    if (!runner.isReleased) {
      await runner.query(`SELECT pg_advisory_unlock_all()`).catch(() => undefined);
      await runner.release();
    }
  }
}
