import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { execFile } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { MediaStore } from '../../accounts/media/store.js';
import type { Capability } from '../../ground/capability/capability.js';
import { planOf } from '../../ground/capability/plan.js';
import { CAPABILITIES } from '../../service/capabilities.js';
import { checkData } from '../../workbench/check/service.js';
import { empty } from '../../workbench/fill/load.js';
import { exportAll } from '../../workbench/transfer/export.js';
import { importAll } from '../../workbench/transfer/import.js';
import { startTestService, type Actor, type TestService } from '../test-service.js';
import { logBook } from './capability.js';
import { LogEntries1900000000000 } from './migration.js';

const capabilities = [...CAPABILITIES, logBook];
const plan = planOf(capabilities);
let service: TestService;
let crew: Actor;
let other: Actor;

beforeAll(async () => {
  service = await startTestService({ capabilities, migrations: [LogEntries1900000000000] });
  [crew, other] = [await service.user('odile'), await service.user('bram')];
});
afterAll(() => service.stop());

const write = (line: string) => service.call<{ id: string }>('POST', '/v1/log-entries', { as: crew, body: { line } });
const lines = async () =>
  (await service.dataSource.query<{ line: string }[]>(`SELECT line FROM log_entries ORDER BY id`)).map(
    ({ line }) => line,
  );

describe('a capability that is a folder and a line in the list', () => {
  test('is called, behind the rule of its own kind of thing', async () => {
    const { status, json } = await write('Moored below Candle Lock.');
    expect(status).toBe(201);
    const tear = (as?: Actor) => service.call('DELETE', `/v1/log-entries/${json.id}`, as ? { as } : {});
    expect([(await tear()).status, (await tear(other)).status]).toEqual([401, 403]);
    expect(await lines()).toEqual(['Moored below Candle Lock.']);
    expect([(await tear(crew)).status, (await tear(crew)).status]).toEqual([204, 404]);
    expect(await lines()).toEqual([]);
  });

  test('stands in the API document, with what its rule can answer', async () => {
    const { paths } = (
      await service.call<{ paths: Record<string, Record<string, { 'x-doorway': string; 'responses': object }>> }>(
        'GET',
        '/v1/openapi.json',
      )
    ).json;
    const tear = paths['/v1/log-entries/{entry}']!.delete!;
    expect(tear['x-doorway']).toBe('owner of entry');
    expect(Object.keys(tear.responses)).toEqual(expect.arrayContaining(['204', '401', '403', '404', '412', '503']));
    expect(paths['/v1/log-entries']!.post!['x-doorway']).toBe('signed-in');
  });

  test('is listed by the command', async () => {
    const command = join(process.cwd(), 'packages/cli/bin/gather-lane.js');
    // Without colours, which a machine may force on output that is no terminal.
    const env = { ...process.env, NO_COLOR: '1', FORCE_COLOR: undefined };
    const { stdout } = await promisify(execFile)(process.execPath, [command, 'routes', '--address', service.address], {
      env,
    });
    expect(stdout).toMatch(/DELETE +\/v1\/log-entries\/\{entry\} +owner of entry/);
  });

  test('is tried by the ownership check on things of its own, which are gone afterwards', async () => {
    const { json } = await service.call<{
      faults: number;
      routes: { operationId: string; cells: { role: string; status: number; kept: boolean }[] }[];
    }>('POST', '/v1/operator/ownership-checks', {
      as: service.operatorKey,
      body: { only: ['writeLogEntry', 'tearLogEntry'] },
    });
    expect(json.faults).toBe(0);
    const tear = json.routes.find(({ operationId }) => operationId === 'tearLogEntry')!;
    expect(tear.cells.map(({ role, status, kept }) => [role, status, kept])).toEqual([
      ['nobody', 401, true],
      ['another', 403, true],
      ['blocked', 403, true],
      ['owner', 204, false],
      ['moderator', 403, true],
      ['operator', 403, true],
    ]);
    expect(await lines()).toEqual([]);
  });

  test('has its table looked at: what is not public is masked', async () => {
    await write('Nobody else’s business');
    const { json } = await service.call<{
      columns: { name: string; showing: string }[];
      rows: { values: (string | null)[] }[];
    }>('GET', '/v1/operator/model/tables/log_entries/rows', { as: service.operatorKey });
    expect(json.columns.map(({ name, showing }) => [name, showing])).toEqual([
      ['id', 'shown'],
      ['user_id', 'shown'],
      ['line', 'masked'],
      ['created_at', 'shown'],
    ]);
    expect(json.rows).toHaveLength(1);
    expect(json.rows[0]!.values).toEqual([expect.any(String), crew.id, null, expect.any(String)]);
  });

  test('has its data checked and repaired', async () => {
    await service.dataSource.query(`UPDATE log_entries SET line = ' '`);
    const found = async (repair: boolean) =>
      (await checkData(service.dataSource, { plan, repair, model: [], progress: () => undefined })).filter(
        ({ count }) => count > 0,
      );
    expect(await found(true)).toMatchObject([{ name: 'blank-log-entries', count: 1, repaired: 1 }]);
    expect(await found(false)).toEqual([]);
  });

  test('is exported and imported, and taken away by whoever starts over', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'gather-lane-log-book-'));
    const store = service.house.get(MediaStore);
    await write('Kept in the export');
    const manifest = await exportAll(service.dataSource, plan, join(folder, 'out'), () => undefined, store);
    expect(manifest.tables.find(({ name }) => name === 'log_entries')).toMatchObject({ rows: 1 });
    expect(readFileSync(join(folder, 'out/log_entries.ndjson'), 'utf8')).toContain('Kept in the export');
    await empty(service.dataSource, { plan, amongReal: false });
    expect(await lines()).toEqual([]);
    await importAll(service.dataSource, plan, join(folder, 'out'), () => undefined, store);
    expect(await lines()).toEqual(['Kept in the export']);
    rmSync(folder, { recursive: true });
  });

  test('has its job done with the others', async () => {
    await service.dataSource.query(`UPDATE log_entries SET created_at = clock_timestamp() - interval '2 years'`);
    for (const job of service.jobs) await job.run(new AbortController().signal);
    expect(await lines()).toEqual([]);
  });
});

describe('the list of capabilities', () => {
  test('says of every table of the database what may be shown of it', async () => {
    const tables = await service.dataSource.query<{ name: string }[]>(
      `SELECT relname AS name FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind = 'r' AND relname !~ '^(standings_\\d+|gather_lane_migrations)$'`,
    );
    const known = Object.keys(plan.tables).filter((name) => name !== 'standings');
    expect(tables.map(({ name }) => name).sort()).toEqual(known.sort());
  });

  test('takes no two that speak of the same thing', () => {
    expect(() => planOf([logBook, logBook])).toThrow('Two capabilities speak of log_entries.');
  });

  test('takes no two that say whose the same kind of thing is', async () => {
    const second: Capability = { name: 'second', start: () => ({ owners: { post: () => Promise.resolve(null) } }) };
    const start = startTestService({ capabilities: [...CAPABILITIES, second] });
    await expect(start).rejects.toThrow('Two capabilities say whose a post is.');
  });

  test('names each after those that it is made with', async () => {
    await expect(startTestService({ capabilities: [...CAPABILITIES].reverse() })).rejects.toThrow(
      /is not made yet: name its capability earlier/,
    );
  });
});
