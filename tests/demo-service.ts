import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeDatabase, urlOf } from '../packages/server/src/tests/test-service.js';
import type { DatabaseAddress } from '../packages/server/src/database/address.js';
import { start, type Started } from './command.js';

/** The demo, started by the command on a database of a test's own. */
export interface DemoService extends Started {
  readonly folder: string;
  readonly database: DatabaseAddress;
  end(): Promise<void>;
}

/** @param configuration the text of its `gather-lane.yaml` */
export async function startDemo(configuration?: string): Promise<DemoService> {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-demo-'));
  if (configuration !== undefined) writeFileSync(join(folder, 'gather-lane.yaml'), configuration);
  const { address: database, drop } = await makeDatabase();
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
