import { createHash } from 'node:crypto';
import { createWriteStream, existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Transform, type Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { PoolClient } from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import QueryStream from 'pg-query-stream';
import type { DataSource } from 'typeorm';
import { fileName } from '../../accounts/media/picture.js';
import type { MediaStore } from '../../accounts/media/store.js';
import type { ExportedTable, HousePlan } from '../../ground/capability/house-plan.js';
import { VERSION } from '../../package-files.js';
import { MANIFEST, MEDIA_FOLDER, TransferRefused, type Manifest, type TransferProgress } from './manifest.js';

const ROWS_AT_ONCE = 500;
const REPORT_EVERY = 5_000;

/**
 * Writes every table as NDJSON, all as of one instant, the files of pictures, and last of all the manifest: without one, it
 * is no export.
 * @param folder is made; one that holds anything is refused
 * @throws TransferRefused
 */
export async function exportAll(
  dataSource: DataSource,
  { exported }: HousePlan,
  folder: string,
  progress: TransferProgress,
  store: MediaStore,
): Promise<Manifest> {
  if (existsSync(folder) && readdirSync(folder).length > 0)
    throw new TransferRefused(`${folder} is not empty: name a folder that is new or empty.`);
  // Password hashes are in it.
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const tables: Manifest['tables'][number][] = [];
  const madeAt = await inSnapshot(dataSource, async (client) => {
    for (const table of exported) {
      const { name, order } = table;
      const rows = new QueryStream(
        `SELECT row_to_json(t)::text AS line FROM (SELECT ${await columnsOf(client, table)} FROM ${name}) t ORDER BY ${order}`,
        [],
        { batchSize: ROWS_AT_ONCE },
      );
      const lines = new Lines((n) => progress(name, n));
      await pipeline(client.query(rows), lines, createWriteStream(join(folder, `${name}.ndjson`), { mode: 0o600 }));
      progress(name, lines.count);
      tables.push({ name, file: `${name}.ndjson`, rows: lines.count, sha256: lines.digest() });
    }
    await copyPictures(client, folder, store);
    const { rows } = await client.query<{ now: Date }>(`SELECT now() AS now`);
    return rows[0]!.now.toISOString();
  });
  const manifest: Manifest = { format: 'gather-lane export', formatVersion: 1, service: VERSION, madeAt, tables };
  writeFileSync(join(folder, MANIFEST), JSON.stringify(manifest, null, 2) + '\n', { mode: 0o600 });
  return manifest;
}

/** The columns of a table that an export holds, as a select list. */
async function columnsOf(client: PoolClient, { name, derived = [] }: ExportedTable): Promise<string> {
  const { rows } = await client.query<{ list: string }>(
    `SELECT string_agg(quote_ident(attname), ', ' ORDER BY attnum) AS list FROM pg_attribute
     WHERE attrelid = $1::regclass AND attnum > 0 AND NOT attisdropped AND attname <> ALL ($2)`,
    [name, derived],
  );
  return rows[0]!.list;
}

/**
 * Writes one table as CSV (RFC 4180, with a header).
 * @throws TransferRefused for a table that is not one of those exported
 */
export async function exportCsv(
  dataSource: DataSource,
  { exported }: HousePlan,
  table: string,
  out: Writable,
): Promise<void> {
  const found = exported.find(({ name }) => name === table);
  if (!found)
    throw new TransferRefused(
      `There is no table "${table}" to export: choose one of ${exported.map(({ name }) => name).join(', ')}.`,
    );
  await inSnapshot(dataSource, async (client) => {
    await pipeline(
      client.query(
        copyTo(
          `COPY (SELECT ${await columnsOf(client, found)} FROM ${found.name} ORDER BY ${found.order}) TO STDOUT WITH (FORMAT csv, HEADER)`,
        ),
      ),
      out,
      { end: false },
    );
  });
}

/** The files of the blobs that the export holds. One that was freed meanwhile is left out, as its post is gone. */
async function copyPictures(client: PoolClient, folder: string, store: MediaStore): Promise<void> {
  const { rows } = await client.query<{ id: string; widths: number[] }>(`SELECT id, widths FROM blobs ORDER BY id`);
  if (rows.length > 0) mkdirSync(join(folder, MEDIA_FOLDER), { mode: 0o700 });
  for (const { id, widths } of rows)
    for (const name of widths.map((width) => fileName(id, width))) {
      const bytes = await store.read(name);
      if (bytes) await writeFile(join(folder, MEDIA_FOLDER, name), bytes);
    }
}

/** Everything that the work reads is as of one instant. */
async function inSnapshot<T>(dataSource: DataSource, work: (client: PoolClient) => Promise<T>): Promise<T> {
  const runner = dataSource.createQueryRunner();
  try {
    const client = (await runner.connect()) as PoolClient;
    await client.query(`BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY`);
    const result = await work(client);
    await client.query(`COMMIT`);
    return result;
  } catch (error) {
    await runner.query(`ROLLBACK`).catch(() => undefined);
    throw error;
  } finally {
    await runner.release();
  }
}

/** Rows to lines; counts them and takes their digest on the way. */
class Lines extends Transform {
  count = 0;
  readonly #hash = createHash('sha256');
  readonly #report: (rows: number) => void;

  constructor(report: (rows: number) => void) {
    super({ writableObjectMode: true });
    this.#report = report;
  }

  override _transform({ line }: { line: string }, _: string, done: (error: null, chunk: string) => void): void {
    const text = line + '\n';
    this.#hash.update(text);
    if (++this.count % REPORT_EVERY === 0) this.#report(this.count);
    done(null, text);
  }

  digest(): string {
    return this.#hash.digest('hex');
  }
}
