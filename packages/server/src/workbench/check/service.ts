import type { OwnFields } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { inTransaction } from '../../ground/database/transaction.js';
import type { DataCheck } from '../../ground/capability/data-check.js';
import type { HousePlan } from '../../ground/capability/house-plan.js';
import { ownFieldChecks } from './own-fields.js';
import { tidySql } from '../../ground/database/tidy-sql.js';

const EXAMPLES = 3;
const BATCH = 500;
const CURSOR_ROWS = 5_000;

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
  options: {
    plan: HousePlan;
    repair: boolean;
    model: OwnFields;
    progress: (name: string, done: number, of: number) => void;
  },
): Promise<Finding[]> {
  const findings: Finding[] = [];
  const checks = [...options.plan.checks, ...(await ownFieldChecks(dataSource, options.model))];
  for (const [i, check] of checks.entries()) {
    options.progress(check.name, i, checks.length);
    const { name, means, sql } = check;
    const { count, examples } = await findingsOf(dataSource, check);
    const repaired = options.repair && count > 0 && check.repair ? await mend(dataSource, check) : null;
    findings.push({
      name,
      means,
      count,
      examples,
      query: tidySql(sql),
      repairable: check.repair !== undefined,
      repaired,
    });
  }
  options.progress('', checks.length, checks.length);
  return findings;
}

/** How many rows a check finds, and the first of them. */
async function findingsOf(
  dataSource: DataSource,
  { sql, wrong }: DataCheck,
): Promise<{ count: number; examples: Example[] }> {
  if (wrong) return findingsAmong(dataSource, sql, wrong);
  const rows = await wholeTables<(Example & { count: number })[]>(
    dataSource,
    `SELECT id, found, should, count(*) OVER ()::integer AS count FROM (${sql}) f ORDER BY id LIMIT ${EXAMPLES}`,
  );
  return { count: rows[0]?.count ?? 0, examples: rows.map(({ id, found, should }) => ({ id, found, should })) };
}

/** Reads the rows through a cursor: memory does not grow with them. */
async function findingsAmong(
  dataSource: DataSource,
  sql: string,
  wrong: (found: string) => boolean,
): Promise<{ count: number; examples: Example[] }> {
  return dataSource.transaction(async (manager) => {
    await manager.query(`DECLARE looked_at NO SCROLL CURSOR FOR ${sql}`);
    const examples: Example[] = [];
    for (let count = 0; ;) {
      const rows = await manager.query<Example[]>(`FETCH ${CURSOR_ROWS} FROM looked_at`);
      if (rows.length === 0) return { count, examples };
      const bad = rows.filter(({ found }) => wrong(found));
      count += bad.length;
      examples.push(...bad.slice(0, EXAMPLES - examples.length));
    }
  });
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
async function mend(dataSource: DataSource, { sql, repair: statements = [] }: DataCheck): Promise<number> {
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
