import type { DataSource, EntityManager } from 'typeorm';
import type { ExportedTable } from '../../ground/capability/house-plan.js';
import { NOT_FOR_EVER, Succession, type Turn } from '../../ground/database/succession.js';
import { inTransaction } from '../../ground/database/transaction.js';
import { COUNT_LATER } from '../../ranking/tallies/made.js';
import { linesOf, type Line } from './lines.js';
import { TransferRefused, type TransferProgress } from './manifest.js';

/** A batch ends at so many rows or characters: what is counted after it is spread over its rows, and it is one parameter of a statement. */
export const MOST_ROWS = 10_000;
const MOST_TEXT = 8_000_000;
/** What an import did with a table. */
export interface ImportResult {
  readonly table: string;
  readonly made: number;
  /** Rows that were there already. */
  readonly skipped: number;
}

/** Reads the file of a table in: whole batches, each in a transaction of its own; one that is not read to its end keeps what is whole. */
export async function importTable(
  dataSource: DataSource,
  table: ExportedTable,
  path: string,
  mostRows: number,
  progress: TransferProgress,
  ending: AbortSignal,
): Promise<ImportResult> {
  let [made, done] = [0, 0];
  // A row may refer to one of its own table that comes later: such columns are filled once all rows are there.
  const own = await selfReferences(dataSource, table.name);
  const later = [...own, ...(table.afterwards ? [table.afterwards.column] : [])];
  const batches = new Succession();
  try {
    for await (const batch of readAhead(batchesOf(path, table, mostRows))) {
      if (ending.aborted) break;
      const before = batches.ended;
      batches.begin(async (turn) => {
        made += await importBatch(dataSource, { ...table, later }, path, batch, turn);
        progress(table.name, (done += batch.length));
      });
      await (table.counted ? before : batches.ended);
    }
  } finally {
    await batches.ended;
  }
  if (own.length > 0 && !ending.aborted)
    for await (const batch of batchesOf(path)) await fillLater(dataSource, table, own, table.name, batch);
  return { table: table.name, made, skipped: done - made };
}

/** Reads the next batch while one is written. */
async function* readAhead<T>(batches: AsyncGenerator<T>): AsyncGenerator<T> {
  try {
    for (let next = batches.next(); ;) {
      const { done, value } = await next;
      if (done) return;
      next = batches.next();
      // Whoever waits for it hears what went wrong.
      next.catch(() => undefined);
      yield value;
    }
  } finally {
    await batches.return(undefined);
  }
}

/** The rows of a file in batches. */
export async function* batchesOf(
  path: string,
  { here = {}, mend = (row) => row, derived = [] }: Pick<ExportedTable, 'here' | 'mend' | 'derived'> = {},
  mostRows = MOST_ROWS,
): AsyncGenerator<Line[]> {
  let [batch, text]: [Line[], number] = [[], 0];
  for await (const lines of linesOf(path)) {
    for (const line of lines) {
      const row = { ...mend(line.row), ...here };
      for (const name of derived) delete row[name];
      batch.push({ ...line, row });
      text += line.length;
      if (batch.length < mostRows && text < MOST_TEXT) continue;
      yield batch;
      [batch, text] = [[], 0];
    }
  }
  if (batch.length > 0) yield batch;
}

/** Own fields of a table that refer to rows of the same table. */
async function selfReferences(dataSource: DataSource, table: string): Promise<string[]> {
  const rows = await dataSource.query<{ name: string }[]>(
    `SELECT a.attname AS name FROM pg_constraint k JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = ANY (k.conkey)
     WHERE k.contype = 'f' AND k.conrelid = $1::regclass AND k.confrelid = k.conrelid AND a.attname LIKE 'f\\_%'`,
    [table],
  );
  return rows.map(({ name }) => name);
}

/** Fills those columns where they are still empty; one that names nobody stays so. */
export async function fillLater(
  dataSource: DataSource,
  table: ExportedTable,
  later: string[],
  refersTo: string,
  batch: Line[],
): Promise<void> {
  const rows = JSON.stringify(batch.map(({ row }) => row));
  for (const name of later)
    await dataSource.query(
      `UPDATE ${table.name} t SET "${name}" = r."${name}" FROM jsonb_populate_recordset(NULL::${table.name}, $1::jsonb) r
       WHERE t.id = r.id AND t."${name}" IS NULL AND EXISTS (SELECT FROM ${refersTo} o WHERE o.id = r."${name}")`,
      [rows],
    );
}

/** A table with the columns that are filled after all its rows are in. */
type ImportedTable = ExportedTable & { readonly later: readonly string[] };

async function importBatch(
  dataSource: DataSource,
  table: ImportedTable,
  path: string,
  batch: Line[],
  { preceding, own }: Turn,
): Promise<number> {
  const { counted } = table;
  try {
    return await inTransaction(dataSource, async (manager) => {
      if (!counted) return (await insert(manager, table, batch)).length;
      await manager.query(NOT_FOR_EVER);
      await manager.query(COUNT_LATER);
      const rows = await insert(manager, table, batch);
      const made = counted.by.map((name) => rows.map((row) => row[name]));
      await own(async () => counted.own && manager.query(counted.own, made));
      await preceding;
      await manager.query(counted.shared, made);
      return rows.length;
    });
  } catch (error) {
    // What went wrong with the batch before is told first.
    await preceding;
    throw (await firstRefused(dataSource, table, path, batch)) ?? error;
  }
}

/** Columns that the file does not name take their defaults. @returns of the rows that were made, their keys and what they are counted by */
async function insert(manager: EntityManager, table: ImportedTable, batch: Line[]): Promise<Record<string, unknown>[]> {
  const read = batch.map(({ row }) => row);
  const rows = table.anew ? await table.anew(manager, read) : read;
  const columns = Object.keys(rows[0]!).filter((name) => !table.later.includes(name));
  const names = columns.map((name) => `"${name}"`).join(', ');
  return manager.query(
    `INSERT INTO ${table.name} (${names}) SELECT ${names} FROM jsonb_populate_recordset(NULL::${table.name}, $1::jsonb)
     ON CONFLICT (${table.key.join(', ')}) DO NOTHING RETURNING ${[...new Set([...table.key, ...(table.counted?.by ?? [])])].join(', ')}`,
    [JSON.stringify(rows)],
  );
}

/** Which line of a batch the database refuses; tried one by one in a transaction that is taken back. */
async function firstRefused(
  dataSource: DataSource,
  table: ImportedTable,
  path: string,
  batch: Line[],
): Promise<TransferRefused | null> {
  const runner = dataSource.createQueryRunner();
  await runner.startTransaction();
  try {
    for (const line of batch) {
      try {
        await insert(runner.manager, table, [line]);
      } catch (error) {
        const { detail, message } =
          (error as { driverError?: { detail?: string } & Error }).driverError ??
          (error as { detail?: string } & Error);
        return new TransferRefused(
          `${path}, line ${line.number} is refused: ${[message, detail].filter(Boolean).join(' ')} Nothing of its batch was kept.`,
        );
      }
    }
    return null;
  } finally {
    await runner.rollbackTransaction();
    await runner.release();
  }
}
