import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { statSync } from 'node:fs';
import { addComments, addFollows, addPosts, addUsers } from '../../tests/graph.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { OperatorKey } from '../../accounts/operator/key.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService({ demo: true });
});
afterAll(() => service.stop());

const openBrowser = (origin: string) =>
  service.call('POST', '/v1/operator/browser-sessions', { body: { key: service.operatorKey }, headers: { origin } });

describe('the operator', () => {
  test('has a key that only the service’s own user can read', () => {
    expect(statSync(service.house.get(OperatorKey).path).mode & 0o777).toBe(0o600);
  });

  test('sees exact counts', async () => {
    const users = await addUsers(service, 4, 'counted');
    await addFollows(service, users[0]!, users.slice(1));
    const posts = await addPosts(
      service,
      users.map((author) => ({ author, secondsAgo: 5 })),
    );
    await addComments(service, [
      { post: posts[0]!, author: users[1]! },
      { post: posts[1]!, author: users[1]! },
    ]);
    await service.dataSource.query(`UPDATE posts SET deleted_at = now() WHERE id = $1`, [posts[1]]);
    const { json } = await service.call<{ counts: object; postsPerDay: { posts: number }[] }>(
      'GET',
      '/v1/operator/stats',
      { as: service.operatorKey },
    );
    expect(json).toMatchObject({
      counts: { users: 4, posts: 3, follows: 3, comments: 1 },
      weighting: { id: 1, halfLifeMs: 28_800_000, base: 4, weights: { comment: 3 } },
      widelyFollowed: [{ handle: 'counted_1', followers: 1 }, {}, {}],
    });
    expect(json.postsPerDay).toHaveLength(30);
    expect(json.postsPerDay.reduce((sum, day) => sum + day.posts, 0)).toBe(3);
  });

  test('exchanges the key in a browser for a cookie that no script reads and no other path gets', async () => {
    const { status, headers } = await openBrowser(service.address);
    expect(status).toBe(204);
    const cookie = headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    expect(cookie).toMatch(/Path=\/v1\/operator(;|$)/);
    expect(cookie).not.toContain(service.operatorKey);
    const sent = { headers: { cookie: cookie.split(';')[0]! } };
    expect((await service.call('GET', '/v1/operator/stats', sent)).status).toBe(200);
    expect(
      (await service.call('GET', '/v1/operator/stats', { headers: { cookie: 'gather_lane_operator=forged' } })).status,
    ).toBe(401);
    // Even if a browser sent it there, it opens no other route.
    expect((await service.call('GET', '/v1/me', sent)).status).toBe(401);
    // Closed, it is closed for whoever kept the cookie.
    const close = { headers: { ...sent.headers, origin: service.address } };
    expect((await service.call('DELETE', '/v1/operator/browser-sessions/current', close)).status).toBe(204);
    expect((await service.call('GET', '/v1/operator/stats', sent)).status).toBe(401);
  });

  test('changes nothing by cookie from another origin', async () => {
    const cookie = (await openBrowser(service.address)).headers.get('set-cookie')!.split(';')[0]!;
    const [user] = [await service.user()];
    const act = (headers: Record<string, string>) =>
      service.call('POST', '/v1/operator/sessions', { body: { user: user.id }, headers: { cookie, ...headers } });
    expect((await act({ origin: 'http://elsewhere.example' })).status).toBe(403);
    expect((await act({ origin: 'null' })).status).toBe(403);
    expect((await act({})).status).toBe(403);
    expect((await act({ origin: service.address })).status).toBe(201);
    expect((await openBrowser('http://elsewhere.example')).status).toBe(403);
  });

  test('refuses a wrong key', async () => {
    expect(
      (await service.call('POST', '/v1/operator/browser-sessions', { body: { key: 'gl-operator-guessed' } })).status,
    ).toBe(401);
  });

  test('acts as a user in a marked session without a refresh token, and only in the demo', async () => {
    const user = await service.user();
    const act = (on: TestService) =>
      on.call<{ accessToken: string; refreshToken: null }>('POST', '/v1/operator/sessions', {
        as: on.operatorKey,
        body: { user: user.id },
      });
    const { status, json } = await act(service);
    expect([status, json.refreshToken]).toEqual([201, null]);
    expect((await service.call('GET', '/v1/feeds/following', { as: json.accessToken })).status).toBe(200);
    const plain = await startTestService();
    expect((await act(plain)).status).toBe(403);
    await plain.stop();
  });
});
