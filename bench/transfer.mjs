// Seconds of an `import`, against those of the `fill` that made the same rows: into two databases of one cluster, in one run.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  createDataSource,
  exportAll,
  fill,
  importAll,
  makeDataFolder,
  migrate,
  PLAN,
  startCluster,
} from '../packages/server/dist/index.js';
import { printTable } from './table.mjs';

const SIZES = {
  small: { users: 5_000, posts: 20_000, follows: 100_000, comments: 20_000, reactions: 40_000 },
  large: { users: 25_000, posts: 100_000, follows: 500_000, comments: 100_000, reactions: 200_000 },
};
const NO_PICTURES = { put: async () => undefined, list: async function* () {} };

/** @returns the time of an import, in that of the fill of the same rows */
export async function benchTransfer(size) {
  const order = { ...(SIZES[size] ?? SIZES.large), kinds: ['like', 'dislike'], days: 30, seed: 1 };
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-bench-'));
  makeDataFolder(folder);
  const cluster = await startCluster(folder, console.error);
  const exported = join(folder, 'export');
  const spent = [];
  const timed = async (what, work) => {
    const started = performance.now();
    await work();
    spent.push([what, (performance.now() - started) / 1000]);
    return spent.at(-1)[1];
  };
  try {
    const filled = await inDatabase(cluster.address, async (dataSource) => {
      const options = { plan: PLAN, amongReal: false, model: [], progress: () => undefined };
      const seconds = await timed('fill', () => fill(dataSource, order, options));
      await timed('export', () => exportAll(dataSource, PLAN, exported, () => undefined, NO_PICTURES));
      return seconds;
    });
    const imported = await inDatabase(await another(cluster.address), (dataSource) =>
      timed('import', () => importAll(dataSource, PLAN, exported, () => undefined, NO_PICTURES)),
    );
    printTable(
      `import, ${size}`,
      ['what', 'seconds'],
      spent.map(([what, seconds]) => [what, seconds.toFixed(1)]),
    );
    return imported / filled;
  } finally {
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

async function inDatabase(address, work) {
  const dataSource = createDataSource(address, { poolSize: 4 });
  await dataSource.initialize();
  try {
    await migrate(dataSource);
    return await work(dataSource);
  } finally {
    await dataSource.destroy();
  }
}

/** An empty database beside the one of this address. */
async function another(address) {
  const dataSource = createDataSource(address, { poolSize: 1 });
  await dataSource.initialize();
  await dataSource.query('CREATE DATABASE imported');
  await dataSource.destroy();
  return { ...address, database: 'imported' };
}
