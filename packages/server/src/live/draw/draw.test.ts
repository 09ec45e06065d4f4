import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { addComments, addFollows, addPosts, addReactions, addUsers } from '../../tests/graph.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { Draws } from './service.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

interface Drawing {
  handle: string;
  draw: { value: number; tier: string };
}
const whoDrew = async (query = '') =>
  (await service.call<{ items: Drawing[]; next: string | null }>('GET', `/v1/users?sort=draw${query}`)).json;
const draws = () => service.house.get(Draws);

test('what an author’s posts drew follows what happens to them, and time', async () => {
  const [ada, bo, cy, ...crowd] = (await addUsers(service, 12, 'drew')) as [string, string, string, ...string[]];
  const [one, two, old, own] = await addPosts(service, [
    { author: ada, secondsAgo: 10 },
    { author: bo, secondsAgo: 10 },
    { author: cy, secondsAgo: 8 * 86_400 },
    { author: cy, secondsAgo: 10 },
  ]);
  await draws().followUp();
  expect((await whoDrew()).items).toEqual([]);
  // base 4, a comment 3, a like 1, a dislike -1: log2(12/4) of nine likes less one's own; and of four comments, by one person each.
  await addReactions(
    service,
    [...crowd.slice(0, 8), ada].map((user) => ({ post: one!, user, kind: 'like' })),
  );
  await addComments(
    service,
    crowd.slice(0, 4).map((author) => ({ post: two!, author })),
  );
  await addReactions(service, [
    ...crowd.map((user) => ({ post: old!, user, kind: 'like' })),
    { post: own!, user: ada, kind: 'dislike' },
  ]);
  await draws().followUp();
  const { items } = await whoDrew();
  expect(items.map(({ handle, draw }) => [handle, draw])).toEqual([
    ['drew_1', { value: 2, tier: 'drift' }],
    ['drew_0', { value: 1.58, tier: 'drift' }],
    ['drew_2', { value: -0.32, tier: 'stillwater' }],
  ]);
  expect((await whoDrew('&q=drew_0')).items.map(({ handle }) => handle)).toEqual(['drew_0']);
  const first = await whoDrew('&limit=2');
  expect((await whoDrew(`&limit=2&after=${first.next}`)).items.map(({ handle }) => handle)).toEqual(['drew_2']);
  expect((await service.call<Drawing>('GET', '/v1/users/@drew_11')).json.draw).toEqual({
    value: 0,
    tier: 'stillwater',
  });

  // Whom one might follow is by it where as many follow them.
  const viewer = await service.user();
  await addFollows(service, viewer.id, [crowd[0]!]);
  await addFollows(service, crowd[0]!, [ada, bo, cy]);
  const near = await service.call<{ items: { user: Drawing }[] }>('GET', '/v1/follows/near', { as: viewer });
  expect(near.json.items.map(({ user }) => user.handle)).toEqual(['drew_1', 'drew_0', 'drew_2']);

  // Hidden, it draws no more; and nothing is written for whose posts nothing happened to.
  const [{ at }] = await service.dataSource.query<[{ at: Date }]>(
    `SELECT made_at AS at FROM author_draws WHERE user_id = $1`,
    [bo],
  );
  await service.dataSource.query(`UPDATE posts SET deleted_at = now(), removal = 'owner' WHERE id = $1`, [one]);
  await draws().followUp();
  expect((await whoDrew()).items.map(({ handle }) => handle)).toEqual(['drew_1', 'drew_2']);
  expect(await service.dataSource.query(`SELECT made_at AS at FROM author_draws WHERE user_id = $1`, [bo])).toEqual([
    { at },
  ]);
  // Time alone: 42 hours on it is worth half as much, and after a week nothing.
  await service.dataSource.query(`UPDATE posts SET created_at = created_at - interval '42 hours' WHERE id = $1`, [two]);
  await draws().reckonAll();
  expect((await whoDrew()).items[0]!.draw.value).toBeCloseTo(Math.log2(10 / 4), 1);
  await service.dataSource.query(`UPDATE posts SET created_at = created_at - interval '7 days' WHERE id = $1`, [two]);
  await draws().reckonAll();
  expect((await whoDrew()).items.map(({ handle }) => handle)).toEqual(['drew_2']);
});

test('where what happened cannot be told one by one, all are reckoned anew', async () => {
  const [author, ...crowd] = await addUsers(service, 4, 'many');
  const [post] = await addPosts(service, [{ author: author!, secondsAgo: 5 }]);
  await draws().followUp();
  await addReactions(
    service,
    crowd.map((user) => ({ post: post!, user, kind: 'like' })),
  );
  await service.dataSource.query(`DELETE FROM events WHERE kind = 'post.counted'`);
  await service.dataSource.query(`INSERT INTO events (kind) VALUES ('post.counted')`);
  await draws().followUp();
  expect((await whoDrew('&q=many')).items[0]!.draw.value).toBeCloseTo(Math.log2(7 / 4), 1);
});
