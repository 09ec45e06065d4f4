import { chmodSync, mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { makeDataFolder, startCluster, type Cluster } from '../database/cluster/cluster.js';
import { migrate } from '../database/migrate.js';
import { createDataSource } from '../../service/data-source.js';
import { until } from '../../tests/standby.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { logStanding } from './standing.js';

// A cluster that copies its log into a folder, in which something stands in the way.

const folder = mkdtempSync(join(tmpdir(), 'gather-lane-kept-log-'));
chmodSync(folder, 0o711);
const keepLog = join(folder, 'log');
let cluster: Cluster;
let service: TestService;
beforeAll(async () => {
  const data = join(folder, 'data');
  makeDataFolder(data);
  cluster = await startCluster(data, () => undefined, { keepLog });
  const dataSource = createDataSource(cluster.address, { poolSize: 2 });
  await dataSource.initialize();
  await migrate(dataSource);
  await dataSource.destroy();
  service = await startTestService({ on: cluster.address, configuration: { database: { keepLog } } });
});
afterAll(async () => {
  await service.stop();
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
});

const standing = async () => (await logStanding(service.dataSource))!;
/** Writes something and begins another part of the log. @returns the name of the part that is full */
async function fillPart(): Promise<string> {
  await service.user();
  const [row] = await service.dataSource.query<{ part: string }[]>(`SELECT pg_walfile_name(pg_switch_wal()) AS part`);
  return row!.part;
}
const look = () =>
  service.jobs
    .find(({ does }) => does === 'look whether the log of the database can be copied')!
    .run(new AbortController().signal);
/** The values of what is said of the log. */
const said = async () => {
  const { json } = await service.call<{
    items: { name: string; values: { labels: object; value: number }[] }[];
  }>('GET', '/v1/operator/measurements', { as: service.operatorKey });
  return Object.fromEntries(
    json.items
      .filter(({ name }) => name.startsWith('gather_lane_log_'))
      .map(({ name, values }) => [name, values.map(({ value }) => value)]),
  );
};

test('nothing is said of the log of a server that keeps none', async () => {
  const plain = await startTestService();
  const { json } = await plain.call<{ text: string }>('GET', '/metrics', { as: plain.operatorKey });
  expect(json.text.split('\n').filter((line) => line.startsWith('gather_lane_log_'))).toEqual([]);
  await plain.stop();
});

test('a part of the log that cannot be copied is told, with what waits, until it can', async () => {
  // Before any was copied, the first does not find the folder: all waits from there on.
  renameSync(keepLog, `${keepLog} elsewhere`);
  await fillPart();
  await fillPart();
  await until(async () => (await standing()).failingSince !== null);
  expect((await standing()).waiting).toBeGreaterThan(16 * 1024 * 1024);
  renameSync(`${keepLog} elsewhere`, keepLog);
  await fillPart();
  await until(async () => (await standing()).copied > 0);
  await until(async () => (await standing()).waiting! < 16 * 1024 * 1024);
  await look();
  expect(await said()).toMatchObject({
    gather_lane_log_parts: [(await standing()).copied, expect.any(Number)],
    gather_lane_log_failing_seconds: [0],
  });

  // Nothing of that name may be written over.
  const [{ part }] = await service.dataSource.query<[{ part: string }]>(
    `SELECT pg_walfile_name(pg_current_wal_lsn()) AS part`,
  );
  writeFileSync(join(keepLog, part), 'not a part of the log');
  await fillPart();
  await until(async () => (await standing()).failingSince !== null);
  await fillPart();
  await expect(look()).rejects.toThrow(
    new RegExp(
      `^The log of the database cannot be copied to database.keepLog \\(${keepLog}\\) since .*${part} failed last.* \\(\\d+ MB\\)`,
    ),
  );
  const failing = await said();
  expect(failing.gather_lane_log_parts![1]).toBeGreaterThan(0);
  expect(failing.gather_lane_log_failing_seconds![0]).toBeGreaterThan(0);
  expect(failing.gather_lane_log_waiting_bytes![0]).toBeGreaterThan(16 * 1024 * 1024);

  rmSync(join(keepLog, part));
  await fillPart();
  await until(async () => (await standing()).failingSince === null);
  await look();
  expect((await said()).gather_lane_log_failing_seconds).toEqual([0]);
});
