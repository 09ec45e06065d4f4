import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readModel, type OwnFields } from '@gather-lane/core';
import { loadDemo } from '../demo/load.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

let service: TestService;
let wren: Actor;
let wanted: OwnFields = [];

interface Rows {
  table: string;
  columns: { name: string; showing: string }[];
  rows: { key: string; values: (string | null)[] }[];
}
interface Association {
  by: string;
  direction: string;
  count: number;
  rows: Rows;
}

beforeAll(async () => {
  service = await startTestService({
    modelFile: () => wanted,
    model: { users: { fields: { phone: { type: 'string', audience: 'owner' }, berth: { type: 'integer' } } } },
  });
  await loadDemo(service.dataSource, service.house.config, () => undefined);
  const [row] = await service.dataSource.query<{ id: string }[]>(`SELECT id FROM users WHERE handle = 'odile'`);
  wren = { id: row!.id, handle: 'odile', token: '' };
  await service.dataSource.query(`UPDATE users SET f_phone = '0123', f_berth = 7 WHERE id = $1`, [wren.id]);
});
afterAll(() => service.stop());

const get = <T>(path: string, as: string | undefined = service.operatorKey) =>
  service.call<T>('GET', `/v1/operator/model${path}`, { as });
const cell = ({ columns, rows }: Rows, name: string, row = 0) =>
  rows[row]!.values[columns.findIndex((column) => column.name === name)];
const showing = ({ columns }: Rows, name: string) => columns.find((column) => column.name === name)!.showing;

describe('looking at the model', () => {
  test('is for the operator alone', async () => {
    const { token } = await service.user();
    for (const path of ['', '/changes', '/migrations', '/tables/users/rows', `/tables/users/rows/${wren.id}`]) {
      expect((await service.call('GET', `/v1/operator/model${path}`)).status).toBe(401);
      expect((await get(path, token)).status).toBe(403);
    }
  });

  test('tells tables, columns and relations as they are', async () => {
    const { json } = await get<{
      tables: { name: string; rows: number; columns: { name: string }[] }[];
      mermaid: string;
    }>('');
    const users = json.tables.find(({ name }) => name === 'users')!;
    expect(users.columns.map(({ name }) => name)).toEqual(expect.arrayContaining(['handle', 'f_phone', 'f_berth']));
    expect(users.rows).toBeGreaterThan(59);
    expect(json.mermaid).toContain('users ||--o{ posts');
  });

  test('masks what is private until it is asked for, and secrets always', async () => {
    const rows = async (table: string, query = '') => (await get<Rows>(`/tables/${table}/rows${query}`)).json;
    const masked = await rows('credentials');
    expect([showing(masked, 'email'), cell(masked, 'email'), cell(masked, 'demo')]).toEqual(['masked', null, 'true']);
    const open = await rows('credentials', '?reveal=true');
    expect(cell(open, 'email')).toContain('@wherry-cut.example');
    expect([showing(open, 'password_hash'), cell(open, 'password_hash')]).toEqual(['secret', null]);
    const users = await rows('users', '?limit=50');
    expect([showing(users, 'f_phone'), showing(users, 'f_berth')]).toEqual(['masked', 'shown']);
    expect(JSON.stringify(users)).not.toContain('0123');
    expect((await get('/tables/pg_authid/rows')).status).toBe(404);
  });

  test('follows the associations of a row both ways', async () => {
    const { json } = await get<{ row: Rows; associations: Association[] }>(`/tables/users/rows/${wren.id}`);
    expect(cell(json.row, 'handle')).toBe('odile');
    expect(json.associations.map(({ direction, rows, by, count }) => [direction, rows.table, by, count])).toEqual(
      expect.arrayContaining([
        ['referred to by', 'posts', 'author_id', 17],
        ['referred to by', 'follows', 'follower_id', 24],
        ['referred to by', 'follows', 'followee_id', 42],
        ['referred to by', 'user_tallies', 'user_id', 1],
      ]),
    );
    const posts = json.associations.find(({ rows }) => rows.table === 'posts')!.rows;
    expect(posts.rows).toHaveLength(5);
    const back = await get<{ associations: Association[] }>(`/tables/posts/rows/${posts.rows[0]!.key}`);
    const author = back.json.associations.find(({ direction }) => direction === 'refers to')!;
    expect([author.by, cell(author.rows, 'handle')]).toEqual(['author_id', 'odile']);
    const follow = json.associations.find(({ by }) => by === 'follower_id')!.rows.rows[0]!;
    expect(follow.key).toMatch(/^[0-9a-f-]{36},[0-9a-f-]{36}$/);
    const sides = await get<{ associations: Association[] }>(`/tables/follows/rows/${follow.key}`);
    expect(sides.json.associations.map(({ by }) => by).sort()).toEqual(['followee_id', 'follower_id']);
    for (const key of ['nobody', `${wren.id},${wren.id}`])
      expect((await get(`/tables/users/rows/${key}`)).status).toBe(404);
  });
});

describe('pending changes', () => {
  const file = {
    users: {
      fields: { phone: { type: 'string', audience: 'owner' as const }, berth: { type: 'integer', required: true } },
    },
  };
  const changes = async () =>
    (
      await get<{
        fileChanged: boolean;
        changes: {
          field: string;
          kind: string;
          holds: string;
          hazards: { kind: string; open: boolean; rows: number }[];
        }[];
      }>('/changes')
    ).json;
  const migrate = (body: object) =>
    service.call<{ id: number | null; detail: string }>('POST', '/v1/operator/model/migrations', {
      as: service.operatorKey,
      body,
    });
  const latest = async () =>
    (
      await get<{
        items: { id: number; state: string; steps: { field: string; rows: number | null; done: boolean }[] }[];
      }>('/migrations')
    ).json.items[0]!;

  test('are told with their hazards, run with answers, and journalled', async () => {
    wanted = service.house.config.model;
    expect(await changes()).toMatchObject({ fileChanged: false, changes: [] });
    wanted = readModel(file).model;
    const [{ total }] = await service.dataSource.query<[{ total: number }]>(
      `SELECT count(*)::integer AS total FROM users WHERE f_berth IS NULL`,
    );
    expect(await changes()).toMatchObject({
      fileChanged: true,
      changes: [
        {
          field: 'users.berth',
          kind: 'require',
          holds: 'integer',
          hazards: [{ kind: 'rows-without-value', open: true, rows: total }, { open: false }],
        },
      ],
    });
    const refused = await migrate({});
    expect([refused.status, refused.json.detail]).toEqual([409, expect.stringContaining(`${total} rows of`)]);
    for (const answers of [
      { 'users.berth': { 'rows-without-value': { guess: 1 } } },
      { 'users.berth': { 'no-such': 'clear' } },
    ])
      expect((await migrate({ answers })).status).toBe(422);

    const begun = await migrate({ answers: { 'users.berth': { 'rows-without-value': { constant: 3 } } } });
    expect(begun.status).toBe(202);
    while ((await latest()).state === 'running') await new Promise((resolve) => setTimeout(resolve, 50));
    const done = await latest();
    expect(done).toMatchObject({ id: begun.json.id, state: 'done' });
    expect(done.steps.every((step) => step.done)).toBe(true);
    expect(done.steps[0]!.rows).toBe(total);
    expect((await changes()).changes).toEqual([]);
    expect((await migrate({})).json.id).toBeNull();
  });
});
