// A real PostgreSQL for all tests, on loopback, with one migrated database that each suite copies.
import { spawn } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createDataSource, makeDataFolder, migrate, startCluster } from '../packages/server/dist/index.js';

export default async function startDatabase() {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-tests-'));
  makeDataFolder(folder);
  // Suites that run beside each other have services of twenty connections for each of several uses.
  const cluster = await startCluster(folder, () => undefined, { connections: 400 });
  const reaper = spawn(process.execPath, [join(import.meta.dirname, 'reaper.mjs'), folder, cluster.folder], {
    stdio: ['pipe', 'ignore', 'inherit'],
    detached: true,
  });
  reaper.unref();
  const template = createDataSource(cluster.address, { poolSize: 2 });
  await template.initialize();
  await migrate(template);
  // Nothing here has to outlive a power cut, and a database is copied for each suite.
  // Nor long enough to be cleaned: a worker for each of dozens of databases every ten seconds would take from the tests.
  for (const name of ['fsync', 'full_page_writes', 'synchronous_commit', 'autovacuum'])
    await template.query(`ALTER SYSTEM SET ${name} = off`);
  await template.query(`SELECT pg_reload_conf()`);
  await template.destroy();
  process.env.GATHER_LANE_TEST_DATABASE_ADDRESS = JSON.stringify(cluster.address);
  process.env.GATHER_LANE_TEST_FOLDER = folder;
  globalThis.gatherLaneTests = { cluster, folder, reaper };
}
