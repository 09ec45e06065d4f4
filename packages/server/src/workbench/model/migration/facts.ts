import { NO_FACTS, type Change, type Facts } from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { countRows } from '../describe.js';
import { columnSql, convertSql, fitsSql, nearestSql } from './column-sql.js';
import { columnType } from '../../../ground/fields/column-type.js';

type Database = DataSource | EntityManager;

const EXAMPLES = 3;
const EXAMPLE_LENGTH = 60;

/** What the rows say about a change. Cost: a pass or two over the table. */
export async function factsOf(database: Database, change: Change): Promise<Facts> {
  const rows = await countRows(database, change.table);
  if (rows === 0) return NO_FACTS;
  return { ...NO_FACTS, rows, ...(await FACTS[change.kind]?.(database, change, rows)) };
}

type Finder = (database: Database, change: Change, rows: number) => Promise<Partial<Facts>>;

const without: Finder = async (database, change, rows) => {
  if (!change.present) return { without: rows };
  return { without: await count(database, change, `${columnSql(change)} IS NULL`) };
};

/** Values that do not fit: by themselves under a new rule, or once they are converted to another type. */
const misfits: Finder = async (database, change) => {
  const { field, present } = change;
  const column = columnSql(change);
  const converted = change.kind === 'change-type' ? convertSql(column, columnType(field!.kind)) : column;
  const fits = fitsSql(field!, 'v');
  const [row] = await database.query<{ misfits: number; beyond: number; examples: string[] | null }[]>(
    `SELECT count(*)::integer AS misfits,
            count(*) FILTER (WHERE v IS NULL OR NOT ${fitsSql(field!, nearestSql(field!, 'v'))})::integer AS beyond,
            (array_agg(DISTINCT left(was, ${EXAMPLE_LENGTH})))[1:${EXAMPLES}] AS examples
     FROM (SELECT ${column}::text AS was, ${converted} AS v FROM ${change.table} WHERE ${column} IS NOT NULL) t
     WHERE v IS NULL OR NOT ${fits}`,
  );
  const found = { misfits: row!.misfits, beyondNearest: row!.beyond, misfitExamples: row!.examples ?? [] };
  if (change.kind !== 'change-type' || field!.kind !== 'user' || !present) return found;
  return { ...found, ...(await orphans(database, change, 0)) };
};

const repeats: Finder = async (database, change) => {
  if (!change.present) return {};
  const column = columnSql(change);
  const [row] = await database.query<{ repeats: number; examples: string[] | null }[]>(
    `SELECT coalesce(sum(n - 1), 0)::integer AS repeats, (array_agg(left(v::text, ${EXAMPLE_LENGTH}) ORDER BY n DESC))[1:${EXAMPLES}] AS examples
     FROM (SELECT ${column} AS v, count(*) AS n FROM ${change.table} WHERE ${column} IS NOT NULL GROUP BY 1 HAVING count(*) > 1) t`,
  );
  return { repeats: row!.repeats, repeatExamples: row!.examples ?? [] };
};

const orphans: Finder = async (database, change) => {
  // Of a column that is turned into a reference, the change of its type counts them.
  if (!change.present || (change.kind === 'add-reference' && change.present.type !== 'user')) return {};
  const column = convertSql(columnSql(change), 'uuid');
  const [row] = await database.query<{ orphans: number; examples: string[] | null }[]>(
    `SELECT count(*)::integer AS orphans, (array_agg(v::text))[1:${EXAMPLES}] AS examples
     FROM (SELECT ${column} AS v FROM ${change.table}) t
     WHERE v IS NOT NULL AND NOT EXISTS (SELECT FROM users u WHERE u.id = v)`,
  );
  return { orphans: row!.orphans, orphanExamples: row!.examples ?? [] };
};

const FACTS: Partial<Record<Change['kind'], Finder>> = {
  'drop-field': without,
  'require': without,
  'change-type': misfits,
  'change-rule': misfits,
  'prove-rule': misfits,
  'make-unique': repeats,
  'add-reference': orphans,
};

async function count(database: Database, { table }: Change, where: string): Promise<number> {
  const [row] = await database.query<{ n: number }[]>(`SELECT count(*)::integer AS n FROM ${table} WHERE ${where}`);
  return row!.n;
}
