import { cpSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { asAdmin, makeDatabase, urlOf, type TestDatabase } from '../packages/server/src/tests/test-database.js';
import type { DatabaseAddress } from '../packages/server/src/ground/database/address.js';
import { start, type Started } from './command.js';

/** The demo, started by the command on a database of a test's own. */
export interface DemoService extends Started {
  readonly folder: string;
  readonly database: DatabaseAddress;
  end(): Promise<void>;
}

/** @param configuration the text of its `gather-lane.yaml`, which may have own fields: the demo is then made with them */
export async function startDemo(configuration?: string): Promise<DemoService> {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-demo-'));
  if (configuration !== undefined) writeFileSync(join(folder, 'gather-lane.yaml'), configuration);
  const { address: database, drop } = await (configuration === undefined ? demoDatabase(folder) : makeDatabase());
  const service = await start(['--demo'], { cwd: folder, env: { GATHER_LANE_DATABASE_URL: urlOf(database) } });
  return {
    ...service,
    folder,
    database,
    async end() {
      await service.stop();
      await drop();
      rmSync(folder, { recursive: true });
    },
  };
}

/** A database of a test's own with the demo in it, and the demo's pictures in the data folder below `folder`. */
export async function demoDatabase(folder: string): Promise<TestDatabase> {
  const original = await loadedDemo();
  cpSync(join(original.folder, MEDIA), join(folder, MEDIA), { recursive: true });
  return makeDatabase(original.name);
}

const MEDIA = '.gather-lane/media';
/** Held while the demo is looked for and made. */
const MAKING = 1_812;

/** The demo with its pictures, loaded once for all suites: making the pictures takes longer than most of the tests. */
async function loadedDemo(): Promise<{ name: string; folder: string }> {
  const [name, folder] = ['loaded_demo', join(process.env.GATHER_LANE_TEST_FOLDER!, 'demo')];
  await asAdmin(async (client) => {
    await client.query(`SELECT pg_advisory_lock($1)`, [MAKING]);
    const { rowCount } = await client.query(`SELECT FROM pg_database WHERE datname = $1`, [name]);
    if (rowCount) return;
    mkdirSync(folder, { recursive: true });
    const { address } = await makeDatabase();
    const service = await start(['--demo'], { cwd: folder, env: { GATHER_LANE_DATABASE_URL: urlOf(address) } });
    await service.stop();
    await client.query(`ALTER DATABASE ${address.database} RENAME TO ${name}`);
  });
  return { name, folder };
}
