import type { DataSource } from 'typeorm';
import { inTransaction } from '../database/transaction.js';
import { DATA_CHECKS, type DataCheck } from './checks.js';
import { REPAIR_POSTS, REPAIR_USERS } from './repair.js';

const EXAMPLES = 3;
const BATCH = 500;

/** One example of a finding. */
export interface Example {
  readonly id: string;
  readonly found: string;
  readonly should: string;
}

/** What one check found. */
export interface Finding {
  readonly name: string;
  readonly means: string;
  /** How many rows; 0 is good. */
  readonly count: number;
  readonly examples: Example[];
  /** The statement that finds them, to be run by hand. */
  readonly query: string;
  /** Whether `--repair` can mend it. */
  readonly repairable: boolean;
  /** How many of the things concerned were mended, or null where nothing was. */
  readonly repaired: number | null;
}

/**
 * Looks for everything that should not be in the data.
 * @param repair mend counts and standings, in batches
 * @param progress is told which check is next
 */
export async function checkData(
  dataSource: DataSource,
  options: { repair: boolean; progress: (name: string, done: number, of: number) => void },
): Promise<Finding[]> {
  const findings: Finding[] = [];
  for (const [i, check] of DATA_CHECKS.entries()) {
    options.progress(check.name, i, DATA_CHECKS.length);
    const { name, means, sql } = check;
    const examples = await wholeTables<(Example & { count: number })[]>(
      dataSource,
      `SELECT id, found, should, count(*) OVER ()::integer AS count FROM (${sql}) f ORDER BY id LIMIT ${EXAMPLES}`,
    );
    const count = examples[0]?.count ?? 0;
    const repaired = options.repair && count > 0 && check.repairs ? await repair(dataSource, check) : null;
    const shown = examples.map(({ id, found, should }) => ({ id, found, should }));
    findings.push({
      name,
      means,
      count,
      examples: shown,
      query: sql.replace(/\s+/g, ' ').trim(),
      repairable: check.repairs !== undefined,
      repaired,
    });
  }
  options.progress('', DATA_CHECKS.length, DATA_CHECKS.length);
  return findings;
}

/**
 * Runs a statement that reads whole tables. Nested loops are taken away from the planner, which takes them for
 * cheap wherever it expects few findings; what does not fit in memory is spilt to disk.
 */
function wholeTables<T>(dataSource: DataSource, sql: string, parameters: unknown[] = []): Promise<T> {
  return dataSource.transaction(async (manager) => {
    await manager.query(`SET LOCAL enable_nestloop = off`);
    await manager.query(`SET LOCAL work_mem = '64MB'`);
    return manager.query<T>(sql, parameters);
  });
}

/** Mends what one check finds, a batch of ids at a time, until it finds nothing new. */
async function repair(dataSource: DataSource, { sql, repairs }: DataCheck): Promise<number> {
  const statements = repairs === 'post' ? REPAIR_POSTS : REPAIR_USERS;
  let [repaired, after] = [0, ''];
  for (;;) {
    const rows = await wholeTables<{ id: string }[]>(
      dataSource,
      `SELECT DISTINCT id FROM (${sql}) f WHERE id > $1 ORDER BY id LIMIT ${BATCH}`,
      [after],
    );
    if (rows.length === 0) return repaired;
    const ids = rows.map((row) => row.id);
    await inTransaction(dataSource, async (manager) => {
      for (const statement of statements) await manager.query(statement, [ids]);
    });
    repaired += ids.length;
    after = ids.at(-1)!;
  }
}
