import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Ajv } from 'ajv';
import type { DataSource } from 'typeorm';
import type { ExportedTable, HousePlan } from '../../ground/capability/house-plan.js';
import type { MediaStore } from '../../accounts/media/store.js';
import { DEEPEST } from '@gather-lane/core';
import { readAnew } from '../../posts/reading/back-fill.js';
import { Weightings } from '../weighting/service.js';
import { batchesOf, fillLater, importTable, MOST_ROWS, type ImportResult } from './import-table.js';
import { linesOf, type Line } from './lines.js';
import {
  MANIFEST,
  MANIFEST_SCHEMA,
  MEDIA_FOLDER,
  TransferRefused,
  type Manifest,
  type TransferProgress,
} from './manifest.js';

/** How far a clock may be ahead before an instant counts as one of the future. */
const AHEAD_MS = 60_000;

/**
 * Reads an export in. All files are looked through before the first row is written; then whole batches, each in a
 * transaction of its own. Rows whose key is there already are skipped, so an import that was stopped can be run again.
 * @param mostRows of a batch
 * @throws TransferRefused naming file and line; nothing of that batch is kept
 */
export async function importAll(
  dataSource: DataSource,
  { exported }: HousePlan,
  folder: string,
  progress: TransferProgress,
  store: MediaStore,
  mostRows = MOST_ROWS,
): Promise<ImportResult[]> {
  const manifest = readManifest(folder, exported);
  const files = exported.flatMap((table) => {
    const listed = manifest.tables.find(({ name }) => name === table.name);
    return listed ? [{ table, listed, path: join(folder, listed.file) }] : [];
  });
  for (const { table, listed, path } of files) await lookThrough(dataSource, table, listed, path);
  await importPictures(folder, store);
  const results = await importTables(dataSource, files, mostRows, progress);
  for (const { table, path } of files)
    if (table.afterwards) {
      const { column, refersTo } = table.afterwards;
      for await (const batch of batchesOf(path)) await fillLater(dataSource, table, [column], refersTo, batch);
    }
  await settleThreads(dataSource);
  await readAnew(dataSource, { progress: ({ done }) => progress('what texts name', done) });
  await adoptWeighting(dataSource, folder, manifest);
  return results;
}

/** The file of a table. */
interface TableFile {
  readonly table: ExportedTable;
  readonly path: string;
}

/** Parents before children, one table after another; and beside these, on a connection of its own, what none of them waits for. */
async function importTables(
  dataSource: DataSource,
  files: readonly TableFile[],
  mostRows: number,
  progress: TransferProgress,
): Promise<ImportResult[]> {
  const results = new Map<string, ImportResult>();
  const ending = new AbortController();
  const read = async ({ table, path }: TableFile) => {
    results.set(table.name, await importTable(dataSource, table, path, mostRows, progress, ending.signal));
  };
  const inTurn = files.filter(({ table }) => !table.onlyAfter);
  const waiting = new Set(files.filter(({ table }) => table.onlyAfter));
  const beside: Promise<void>[] = [];
  const beginBeside = (left: readonly TableFile[]) => {
    for (const file of waiting) {
      if (left.some(({ table }) => file.table.onlyAfter!.includes(table.name))) continue;
      waiting.delete(file);
      const reading = read(file);
      // The rest is stopped at its next batch.
      reading.catch(() => ending.abort());
      beside.push(reading);
    }
  };
  try {
    for (const [i, file] of inTurn.entries()) {
      beginBeside(inTurn.slice(i));
      if (ending.signal.aborted) break;
      await read(file);
    }
    beginBeside([]);
    await Promise.all(beside);
  } finally {
    ending.abort();
    await Promise.allSettled(beside);
  }
  return files.flatMap(({ table }) => results.get(table.name) ?? []);
}

/** Places for answers of an export from before threads had any: as new answers would have got them. */
async function settleThreads(dataSource: DataSource): Promise<void> {
  await dataSource.query(`
    WITH RECURSIVE down AS (
      SELECT c.id, c.under_id, c.depth::integer AS depth FROM comments c WHERE c.parent_id IS NULL OR c.under_id IS NOT NULL
      UNION ALL
      SELECT c.id, CASE WHEN d.depth < ${DEEPEST} THEN d.id ELSE d.under_id END, CASE WHEN d.depth < ${DEEPEST} THEN d.depth + 1 ELSE d.depth END
      FROM down d JOIN comments c ON c.parent_id = d.id AND c.under_id IS NULL
    )
    UPDATE comments c SET under_id = d.under_id, depth = d.depth FROM down d
    WHERE c.id = d.id AND c.parent_id IS NOT NULL AND c.under_id IS NULL AND d.under_id IS NOT NULL`);
}

/** All rows of a small file. */
async function rowsOf(path: string): Promise<Record<string, unknown>[]> {
  const rows = [];
  for await (const lines of linesOf(path)) rows.push(...lines.map(({ row }) => row));
  return rows;
}

/** Puts the numbers in force that were so where the export was made: the standings are built anew by them. */
async function adoptWeighting(dataSource: DataSource, folder: string, manifest: Manifest): Promise<void> {
  const listed = manifest.tables.find(({ name }) => name === 'weightings');
  if (!listed) return;
  for (const row of await rowsOf(join(folder, listed.file))) {
    if (row.in_force !== true) continue;
    const { half_life_ms, base, weights } = row as {
      half_life_ms: number;
      base: number;
      weights: Record<string, number>;
    };
    const [same] = await dataSource.query<{ id: number }[]>(
      `SELECT id FROM weightings WHERE in_force AND (half_life_ms, base, weights) = ($1::bigint, $2::integer, $3::jsonb)`,
      [half_life_ms, base, JSON.stringify(weights)],
    );
    if (same) return;
    const weightings = new Weightings(dataSource, dataSource, Object.keys(weights));
    const inUnits = Object.fromEntries(Object.entries(weights).map(([kind, weight]) => [kind, weight / 1000]));
    await weightings.adopt(
      { halfLifeMs: half_life_ms, base: base / 1000, weights: inUnits },
      { note: 'As imported', by: 'an import' },
    );
    await weightings.build();
  }
}

/** The files of pictures, before the rows that name them: a file that no row names is swept sooner or later. */
async function importPictures(folder: string, store: MediaStore): Promise<void> {
  const from = join(folder, MEDIA_FOLDER);
  const names = existsSync(from) ? readdirSync(from).filter((name) => /^[0-9a-f-]{36}-\d{1,4}\.webp$/.test(name)) : [];
  for (const name of names) await store.put(name, await readFile(join(from, name)));
}

function readManifest(folder: string, exported: readonly ExportedTable[]): Manifest {
  const path = join(folder, MANIFEST);
  if (!existsSync(path))
    throw new TransferRefused(`${path} is not there: this is no export, or one that was not finished.`);
  let manifest: unknown;
  try {
    manifest = JSON.parse(readFileSync(path, 'utf8'));
  } catch (error) {
    throw new TransferRefused(`${path} is damaged: ${(error as Error).message}`);
  }
  const isManifest = new Ajv().compile<Omit<Manifest, 'formatVersion'> & { formatVersion: number }>(MANIFEST_SCHEMA);
  if (!isManifest(manifest)) {
    const { instancePath, message } = isManifest.errors![0]!;
    throw new TransferRefused(`${path} is not the manifest of an export: ${instancePath || 'it'} ${message}.`);
  }
  if (manifest.formatVersion !== 1)
    throw new TransferRefused(
      `${path} is of format ${manifest.formatVersion}, which a newer version wrote: use that version.`,
    );
  const unknown = manifest.tables.find(({ name }) => !exported.some((table) => table.name === name));
  if (unknown)
    throw new TransferRefused(
      `${path} lists the table "${unknown.name}", which this version does not know: use the version that wrote it.`,
    );
  return { ...manifest, formatVersion: 1 };
}

/** Reads a file to its end without keeping it: is every line a row, and is the whole what was exported. */
async function lookThrough(
  dataSource: DataSource,
  table: ExportedTable,
  listed: Manifest['tables'][number],
  path: string,
): Promise<void> {
  if (!existsSync(path)) throw new TransferRefused(`${path} is not there, but the manifest lists it.`);
  const columns = await columnsOf(dataSource, table.name);
  const hash = createHash('sha256');
  let rows = 0;
  const needed = [...columns].flatMap(([name, isNeeded]) => (isNeeded ? [name] : []));
  const look = ({ number, row }: Line) => {
    const unknown = Object.keys(row).find((key) => !columns.has(key));
    if (unknown)
      throw new TransferRefused(
        `${path}, line ${number}: ${table.name} has no column "${unknown}".${unknown.startsWith('f_') ? ' It is a field of your own: bring its model file here, and run `gather-lane model migrate` first.' : ''}`,
      );
    const missing = needed.find((name) => row[name] === undefined);
    if (missing) throw new TransferRefused(`${path}, line ${number}: the column "${missing}" is missing.`);
    const at = typeof row.created_at === 'string' ? Date.parse(row.created_at) : 0;
    if (!(at <= Date.now() + AHEAD_MS))
      throw new TransferRefused(
        `${path}, line ${number}: created_at is in the future, or is no instant: "${String(row.created_at)}".`,
      );
  };
  for await (const lines of linesOf(path, (text) => hash.update(text + '\n'))) {
    lines.forEach(look);
    rows += lines.length;
  }
  if (rows !== listed.rows || hash.digest('hex') !== listed.sha256)
    throw new TransferRefused(
      `${path} is not what was exported: the manifest says ${listed.rows} rows with another checksum, and it has ${rows}. Export again, or restore the file.`,
    );
}

/** Columns of a table, and whether a row must name them. */
async function columnsOf(dataSource: DataSource, table: string): Promise<Map<string, boolean>> {
  const rows = await dataSource.query<{ name: string; needed: boolean }[]>(
    `SELECT attname AS name, attnotnull AND NOT atthasdef AS needed FROM pg_attribute
     WHERE attrelid = $1::regclass AND attnum > 0 AND NOT attisdropped`,
    [table],
  );
  return new Map(rows.map(({ name, needed }) => [name, needed]));
}
