// Rows per second of `fill`, against a bare COPY of the same rows into tables of the same columns, keys, rules and
// indexes, but without the triggers that keep tallies and standings: both in one run, batch by batch in turn.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Fill } from '@gather-lane/core';
import {
  copyRows,
  createDataSource,
  fill,
  makeDataFolder,
  migrate,
  PLAN,
  startCluster,
} from '../packages/server/dist/index.js';
import { printTable } from './table.mjs';

const SIZES = {
  small: { users: 5_000, posts: 20_000, follows: 100_000, comments: 20_000, reactions: 40_000 },
  large: { users: 100_000, posts: 1_000_000, follows: 3_000_000, comments: 500_000, reactions: 1_000_000 },
};
const TABLES = ['users', 'credentials', 'follows', 'mutes', 'posts', 'comments', 'reactions', 'comment_reactions'];
const INSTANT = 'created_at';

/** @returns the ratio of fill to the bare COPY, in rows per second */
export async function benchFill(size) {
  const order = { ...(SIZES[size] ?? SIZES.large), kinds: ['like', 'dislike'], days: 30, seed: 1 };
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-bench-'));
  makeDataFolder(folder);
  const cluster = await startCluster(folder, console.error);
  const dataSource = createDataSource(cluster.address, { poolSize: 4 });
  try {
    await dataSource.initialize();
    await migrate(dataSource);
    const plain = await bareCopy(dataSource, order, false);
    const bare = await bareCopy(dataSource, order, true);
    const started = performance.now();
    const { rows } = await fill(dataSource, order, {
      plan: PLAN,
      amongReal: false,
      model: [],
      progress: () => undefined,
    });
    const seconds = (performance.now() - started) / 1000;
    const total = Object.values(rows).reduce((sum, n) => sum + n, 0);
    const rate = ({ rows: n, seconds: s }) => n / s;
    const ours = { rows: total, seconds };
    const line = (way, of) => [
      way,
      of.rows,
      of.seconds.toFixed(1),
      Math.round(rate(of)),
      (rate(of) / rate(bare)).toFixed(2),
    ];
    printTable(
      `fill, ${size}: ${total.toLocaleString('en-GB')} rows`,
      ['way', 'rows', 'seconds', 'rows a second', 'ratio'],
      [line('COPY, columns only', plain), line('COPY, with keys and indexes', bare), line('fill', ours)],
    );
    return rate(ours) / rate(bare);
  } finally {
    await dataSource.destroy().catch(() => undefined);
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** The same rows, into tables that no trigger watches. Making them counts, as it does for a fill. */
async function bareCopy(dataSource, order, withKeys) {
  const like = withKeys ? 'INCLUDING ALL' : 'INCLUDING DEFAULTS';
  for (const table of TABLES) await dataSource.query(`CREATE TABLE bare_${table} (LIKE ${table} ${like})`);
  const keys = !withKeys
    ? []
    : await dataSource.query(
        `SELECT conrelid::regclass::text AS name, pg_get_constraintdef(oid) AS definition FROM pg_constraint
     WHERE contype = 'f' AND conrelid::regclass::text = ANY ($1)`,
        [TABLES],
      );
  for (const { name, definition } of keys)
    await dataSource.query(
      `ALTER TABLE bare_${name} ADD ${definition.replace(/REFERENCES (\w+)/, (all, to) => (TABLES.includes(to) ? `REFERENCES bare_${to}` : all))}`,
    );
  const runner = dataSource.createQueryRunner();
  const client = await runner.connect();
  const started = performance.now();
  const maker = new Fill({ ...order, run: 1, now: Date.now() }, { size: 0, idAt: () => '' });
  let rows = 0;
  for (let index = 0; index < maker.batches; index++) {
    await runner.startTransaction();
    for (const { table, rows: made } of maker.batch(index)) {
      const columns = maker.columns(table);
      const at = columns.indexOf(INSTANT);
      const texts = made.map((row) => row.map((value, i) => (i === at ? new Date(value).toISOString() : value)));
      const secret = table === 'credentials';
      await copyRows(
        client,
        `bare_${table}`,
        secret ? [...columns, 'password_hash'] : columns,
        secret ? texts.map((row) => [...row, 'x']) : texts,
      );
      rows += made.length;
    }
    await runner.commitTransaction();
  }
  const seconds = (performance.now() - started) / 1000;
  await runner.release();
  for (const table of [...TABLES].reverse()) await dataSource.query(`DROP TABLE bare_${table} CASCADE`);
  return { rows, seconds };
}
