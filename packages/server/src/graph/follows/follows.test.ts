import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService({ environment: { GATHER_LANE_LIMITS_FOLLOWS: '3' } });
});
afterAll(() => service.stop());

interface Page {
  items: { handle: string }[];
  next: string | null;
}
const follow = (as: Actor, who: string) =>
  service.call<{ changed: boolean; since: string }>('PUT', `/v1/follows/${who}`, { as });
const pairs = async () =>
  (
    await service.dataSource.query<{ pair: string }[]>(`SELECT follower_id || '>' || followee_id AS pair FROM follows`)
  ).map((row) => row.pair);

describe('following', () => {
  test('is 201 when new and 200 when it was so already, since the same instant', async () => {
    const [a, b] = [await service.user(), await service.user()];
    const first = await follow(a, `@${b.handle}`);
    const again = await follow(a, b.id);
    expect([first.status, first.json.changed, again.status, again.json.changed]).toEqual([201, true, 200, false]);
    expect(again.json.since).toBe(first.json.since);
  });

  test('matches on both halves of the pair: a follow says nothing of the way back, or of others', async () => {
    const [a, b, c] = [await service.user(), await service.user(), await service.user()];
    await follow(a, b.id);
    await follow(c, b.id);
    await follow(a, c.id);
    expect((await service.call('DELETE', `/v1/follows/${a.id}`, { as: b })).status).toBe(204);
    expect((await service.call('DELETE', `/v1/follows/${b.id}`, { as: a })).status).toBe(204);
    const left = await pairs();
    expect(left).toEqual(expect.arrayContaining([`${c.id}>${b.id}`, `${a.id}>${c.id}`]));
    expect(left).not.toContain(`${a.id}>${b.id}`);
    expect((await service.call('DELETE', `/v1/follows/${b.id}`, { as: a })).status).toBe(204);
  });

  test('oneself is 422, somebody made up 404, nobody signed in 401, and too many 422', async () => {
    const [a, ...others] = [
      await service.user(),
      await service.user(),
      await service.user(),
      await service.user(),
      await service.user(),
    ];
    expect(await follow(a, a.id)).toMatchObject({ status: 422, json: { title: 'Nobody follows themselves' } });
    expect((await follow(a, '@not_there')).status).toBe(404);
    expect((await service.call('PUT', `/v1/follows/${a.id}`)).status).toBe(401);
    for (const other of others.slice(0, 3)) expect((await follow(a, other.id)).status).toBe(201);
    expect(await follow(a, others[3]!.id)).toMatchObject({
      status: 422,
      json: { detail: expect.stringContaining('the limit is 3') },
    });
    expect((await follow(a, others[0]!.id)).status).toBe(200);
  });

  test('two who follow each other at the same instant, again and again, never deadlock', async () => {
    const [a, b] = [await service.user(), await service.user()];
    for (let round = 0; round < 30; round++) {
      const replies = await Promise.all([follow(a, b.id), follow(b, a.id)]);
      expect(replies.map((reply) => reply.status)).toEqual([201, 201]);
      await Promise.all([
        service.call('DELETE', `/v1/follows/${b.id}`, { as: a }),
        service.call('DELETE', `/v1/follows/${a.id}`, { as: b }),
      ]);
    }
    const [{ deadlocks }] = await service.dataSource.query<[{ deadlocks: string }]>(
      `SELECT deadlocks FROM pg_stat_database WHERE datname = current_database()`,
    );
    expect(Number(deadlocks)).toBe(0);
  });

  test('of many calls at once for one pair one makes the follow', async () => {
    const [a, b] = [await service.user(), await service.user()];
    const replies = await Promise.all(Array.from({ length: 10 }, () => follow(a, b.id)));
    expect(replies.map((reply) => reply.status).sort()).toEqual([...Array<number>(9).fill(200), 201]);
  });

  test('of many at once no more are made than anybody may follow, and each is told of their own', async () => {
    const a = await service.user();
    const others = await Promise.all(Array.from({ length: 6 }, () => service.user()));
    const blocked = others[5]!;
    await service.call('PUT', `/v1/blocks/${blocked.id}`, { as: a });
    const [refused, ...replies] = await Promise.all([
      follow(a, blocked.id),
      ...others.slice(0, 5).map((other) => follow(a, other.id)),
      follow(others[0]!, others[1]!.id),
    ]);
    expect(refused!.status).toBeGreaterThanOrEqual(400);
    expect(replies.pop()!.status).toBe(201);
    expect(replies.map(({ status }) => status).sort()).toEqual([201, 201, 201, 422, 422]);
    expect((await pairs()).filter((pair) => pair.startsWith(a.id))).toHaveLength(3);
  });

  test('beside its end and beside a block, again and again, what stands is what the last was told', async () => {
    const [a, b] = [await service.user(), await service.user()];
    const stands = async () => (await pairs()).includes(`${a.id}>${b.id}`);
    for (let round = 0; round < 10; round++) {
      await Promise.all([follow(a, b.id), service.call('DELETE', `/v1/follows/${b.id}`, { as: a })]);
      await Promise.all([follow(a, b.id), service.call('PUT', `/v1/blocks/${a.id}`, { as: b })]);
      expect(await stands()).toBe(false);
      await service.call('DELETE', `/v1/blocks/${a.id}`, { as: b });
      expect((await follow(a, b.id)).status).toBe(201);
      expect(await stands()).toBe(true);
    }
  });

  test('followers and following are lists of their own, newest first', async () => {
    const star = await service.user();
    const fans = [];
    for (let i = 0; i < 5; i++) {
      fans.push(await service.user());
      await follow(fans[i]!, star.id);
    }
    const seen: string[] = [];
    let next: string | null = null;
    do {
      const page: Page = (
        await service.call<Page>('GET', `/v1/users/${star.id}/followers?limit=2${next ? `&after=${next}` : ''}`)
      ).json;
      seen.push(...page.items.map((user) => user.handle));
      next = page.next;
    } while (next);
    expect(seen).toEqual(fans.map((fan) => fan.handle).reverse());
    expect(
      (await service.call<Page>('GET', `/v1/users/${fans[0]!.id}/following`)).json.items.map((user) => user.handle),
    ).toEqual([star.handle]);
    expect((await service.call<Page>('GET', `/v1/users/${star.id}/following`)).json.items).toEqual([]);
  });
});
