import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Removals } from './service.js';

let service: TestService;
let [owner, other, keeper]: Actor[] = [];
beforeAll(async () => {
  service = await startTestService();
  [owner, other, keeper] = await Promise.all(['owner', 'other', 'keeper'].map((handle) => service.user(handle)));
  const made = await service.call('PUT', '/v1/operator/moderators/@keeper', { as: service.operatorKey });
  expect(made.status).toBe(204);
});
afterAll(() => service.stop());

const call = (method: string, path: string, as?: Actor, body?: unknown) =>
  service.call(method, path, { ...(as && { as }), ...(body !== undefined && { body }) });
const post = async (body = 'A post') => (await call('POST', '/v1/posts', owner, { body })).json.id as string;
const comment = async (on: string) =>
  (await call('POST', `/v1/posts/${on}/comments`, owner, { body: 'A comment' })).json.id as string;
const tallies = async () =>
  (
    await service.dataSource.query<{ posts: number }[]>(`SELECT posts FROM user_tallies WHERE user_id = $1`, [
      owner!.id,
    ])
  )[0]!;

describe('deleting and restoring', () => {
  test.each(['post', 'comment'] as const)('an owner brings back a deleted %s, counted as before', async (thing) => {
    const on = await post();
    const id = thing === 'post' ? on : await comment(on);
    const path = `/v1/${thing}s/${id}`;
    const before = [await tallies(), (await call('GET', path)).json];
    expect((await call('DELETE', path, owner)).status).toBe(204);
    expect([
      (await call('GET', path, owner)).status,
      (await call('POST', `${path}/restore`, other, {})).status,
    ]).toEqual([404, 404]);
    const removed = (await call('GET', '/v1/me/removed', owner)).json.items as object[];
    expect(removed[0]).toMatchObject({ kind: thing, id, by: 'owner', can: { restore: true } });
    expect((await call('POST', `${path}/restore`, owner, {})).status).toBe(200);
    expect([await tallies(), (await call('GET', path)).json]).toEqual(before);
    expect((await call('POST', `${path}/restore`, owner, {})).status).toBe(404);
  });

  test('after 30 days it is too late, and then it is really gone with all below it', async () => {
    const id = await post();
    const below = await comment(id);
    await call('DELETE', `/v1/posts/${id}`, owner);
    await service.dataSource.query(`UPDATE posts SET deleted_at = deleted_at - interval '31 days' WHERE id = $1`, [id]);
    expect((await call('POST', `/v1/posts/${id}/restore`, owner, {})).json).toMatchObject({
      status: 409,
      detail: 'It was deleted more than 30 days ago.',
    });
    await service.house.get(Removals).purge();
    const left = `SELECT id FROM posts WHERE id = $1 UNION ALL SELECT id FROM comments WHERE id = $2`;
    expect(await service.dataSource.query(left, [id, below])).toEqual([]);
  });
});

describe('moderating', () => {
  test('is for moderators alone, and never edits', async () => {
    const id = await post();
    for (const as of [owner, other])
      expect((await call('POST', `/v1/posts/${id}/withhold`, as, { reason: 'x' })).status).toBe(403);
    expect((await call('POST', `/v1/posts/${id}/withhold`, undefined, { reason: 'x' })).status).toBe(401);
    expect((await call('PATCH', `/v1/posts/${id}`, keeper, { body: 'better so' })).status).toBe(403);
    expect((await call('GET', `/v1/posts/${id}`, keeper)).json.can).toEqual({
      edit: false,
      delete: true,
      withhold: true,
    });
    expect((await call('GET', '/v1/moderations', other)).status).toBe(403);
    expect((await service.call('PUT', '/v1/operator/moderators/@other', { as: other! })).status).toBe(403);
  });

  test.each(['post', 'comment'] as const)(
    'a withheld %s is out of sight until a moderator restores it',
    async (thing) => {
      const on = await post();
      const id = thing === 'post' ? on : await comment(on);
      const path = `/v1/${thing}s/${id}`;
      expect((await call('POST', `${path}/withhold`, keeper, {})).status).toBe(422);
      expect((await call('POST', `${path}/withhold`, keeper, { reason: 'names a stranger' })).status).toBe(204);
      expect((await call('GET', path, owner)).status).toBe(404);
      const feed = (await call('GET', '/v1/feeds/following', owner)).json.items as { id: string }[];
      expect(feed.map((item) => item.id)).not.toContain(id);
      const [mine] = (await call('GET', '/v1/me/removed', owner)).json.items as object[];
      expect(mine).toMatchObject({ id, by: 'withheld', reason: 'names a stranger', can: { restore: false } });
      expect((await call('POST', `${path}/restore`, owner, {})).json).toMatchObject({ status: 409 });
      expect((await call('POST', `${path}/restore`, keeper, {})).status).toBe(422);
      // However long ago.
      await service.dataSource.query(
        `UPDATE ${thing}s SET deleted_at = deleted_at - interval '90 days' WHERE id = $1`,
        [id],
      );
      await service.house.get(Removals).purge();
      expect((await call('POST', `${path}/restore`, keeper, { reason: 'all is well' })).status).toBe(200);
      expect((await call('GET', path)).status).toBe(200);
      const list = (await call('GET', '/v1/moderations?limit=2', keeper)).json.items as object[];
      expect(list).toMatchObject([
        { action: 'restore', reason: 'all is well', moderator: 'keeper', author: 'owner', now: null },
        { action: 'withhold', reason: 'names a stranger', [`${thing}Id`]: id },
      ]);
    },
  );

  test('a moderator says why they delete, and the owner cannot undo it', async () => {
    const id = await post();
    expect((await call('DELETE', `/v1/posts/${id}`, keeper)).json).toMatchObject({ errors: [{ pointer: '/reason' }] });
    expect((await call('DELETE', `/v1/posts/${id}?reason=spam`, keeper)).status).toBe(204);
    expect((await call('POST', `/v1/posts/${id}/restore`, owner, {})).status).toBe(409);
    const mine = await post();
    await call('DELETE', `/v1/posts/${mine}`, owner);
    expect((await call('POST', `/v1/posts/${mine}/restore`, keeper, { reason: 'I liked it' })).status).toBe(404);
  });

  test('who moderates no more may not, at once', async () => {
    const former = await service.user('former');
    const as = { as: service.operatorKey };
    await service.call('PUT', '/v1/operator/moderators/@former', as);
    expect((await service.call('GET', '/v1/operator/moderators', as)).json).toMatchObject({
      items: [{ handle: 'former' }, { handle: 'keeper' }],
    });
    const id = await post();
    const caller = { kind: 'user', id: former.id, moderator: true } as const;
    await service.call('DELETE', '/v1/operator/moderators/@former', as);
    expect((await call('POST', `/v1/posts/${id}/withhold`, former, { reason: 'x' })).status).toBe(403);
    // Nor does the write believe what the doorway saw before.
    await expect(service.house.get(Removals).withhold('post', id, caller, 'x')).rejects.toThrow();
    expect((await call('GET', `/v1/posts/${id}`)).status).toBe(200);
  });
});

describe('refused attempts', () => {
  test('on things of somebody else’s are kept by who, route and hour, and those on nothing are not', async () => {
    const [id, prowler] = [await post(), await service.user('prowler')];
    for (let i = 0; i < 3; i++) await call('DELETE', `/v1/posts/${id}`, prowler);
    await call('PATCH', '/v1/users/@owner', prowler, { name: 'Mine' });
    await call('DELETE', '/v1/posts/0190a000-0000-7000-8000-00000000abcd', prowler);
    await call('DELETE', `/v1/posts/${id}`);
    const { json } = await service.call('GET', '/v1/operator/refused-attempts?hours=2', { as: service.operatorKey });
    const routes = (json.routes as { handle: string }[]).filter(({ handle }) => handle === 'prowler');
    expect(routes).toEqual(
      expect.arrayContaining([
        expect.objectContaining({ route: 'DELETE /v1/posts/:post', kind: 'post', attempts: 3, things: 1 }),
        expect.objectContaining({ route: 'PATCH /v1/users/:user', kind: 'user', attempts: 1, things: 1 }),
      ]),
    );
    expect(routes).toHaveLength(2);
    expect((json.hours as unknown[]).length).toBe(2);
  });
});
