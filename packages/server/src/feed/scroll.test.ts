import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { addComments, addFollows, addPosts, addUsers, dice, scroll } from '../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';

let service: TestService;
let viewer: Actor;
let writers: string[];
let posts: string[];

beforeAll(async () => {
  service = await startTestService();
  viewer = await service.user();
  writers = await addUsers(service, 12, 'writer');
  await addFollows(service, viewer.id, writers);
  posts = await addPosts(
    service,
    Array.from({ length: 500 }, (_, i) => ({ author: writers[i % 12]!, secondsAgo: 60 + (i % 250) * 40 })),
  );
  await addComments(
    service,
    Array.from({ length: 400 }, (_, i) => ({ post: posts[(i * 7) % 500]!, author: writers[(i * 5) % 12]! })),
  );
});
afterAll(() => service.stop());

/** Scrolls to the end while writers post, comment, take comments back and delete. */
async function underWrites(order: 'recent' | 'score', seed: number) {
  const { int, pick, chance } = dice(seed);
  const actors = await Promise.all(
    writers.slice(0, 4).map(async (id) => ({ id, token: (await service.services.sessions.actAs(id)).accessToken! })),
  );
  await service.dataSource.query(`UPDATE posts SET deleted_at = NULL WHERE deleted_at IS NOT NULL`);
  // Half of the posts are never touched: these the scroll may not skip.
  const half = posts.filter((_, i) => (i + seed) % 2 === 0);
  const touchable = posts.filter((_, i) => (i + seed) % 2 === 1);
  const touched = new Set<string>();
  let done = false;
  const write = async (as: { id: string; token: string }) => {
    const made: string[] = [];
    while (!done) {
      const post = pick(touchable);
      touched.add(post);
      if (chance(0.2)) await service.call('POST', '/v1/posts', { as: as.token, body: { body: `new ${int(1e6)}` } });
      else if (chance(0.5) || made.length === 0) {
        const { json } = await service.call<{ id?: string }>('POST', `/v1/posts/${post}/comments`, {
          as: as.token,
          body: { body: 'in between' },
        });
        if (json.id) made.push(json.id);
      } else if (chance(0.7))
        await service.call('DELETE', `/v1/comments/${made.splice(int(made.length), 1)[0]}`, { as: as.token });
      else
        await service.dataSource.query(
          `UPDATE posts SET deleted_at = CASE WHEN deleted_at IS NULL THEN clock_timestamp() END WHERE id = $1`,
          [post],
        );
    }
  };
  const writing = Promise.all(actors.map(write));
  const pause = () => new Promise<void>((resolve) => setTimeout(resolve, 15));
  const { ids } = await scroll(service, viewer.token, `order=${order}&limit=7`, pause);
  done = true;
  await writing;
  return { ids, untouched: half, touched };
}

describe('reading on while others write', () => {
  test.each([
    ['recent', 1],
    ['recent', 2],
    ['score', 3],
    ['score', 4],
    ['score', 5],
  ] as const)('order=%s, seed %i: no post twice, and none that did not move is skipped', async (order, seed) => {
    const { ids, untouched, touched } = await underWrites(order, seed);
    expect(touched.size).toBeGreaterThan(20);
    expect(ids.length - new Set(ids).size).toBe(0);
    const seen = new Set(ids);
    expect(untouched.filter((post) => !seen.has(post))).toEqual([]);
  });

  test('a fall that began before the scroll and committed after its first page is not met again', async () => {
    const reader = await service.user();
    const [friend] = await addUsers(service, 1, 'faller');
    await addFollows(service, reader.id, [friend!]);
    const ids = await addPosts(
      service,
      Array.from({ length: 30 }, (_, i) => ({ author: friend!, secondsAgo: 100 * i })),
    );
    const bottom = ids.at(-1)!;
    const [comment] = await addComments(service, [{ post: bottom, author: reader.id }]);

    const client = new pg.Client(service.database);
    await client.connect();
    await client.query('BEGIN');
    await client.query(`DELETE FROM comments WHERE id = $1`, [comment]);
    const { ids: read } = await scroll(service, reader.token, 'order=score&limit=5', async (page) => {
      if (page === 1) await client.query('COMMIT');
    });
    await client.end();
    // It stood first, was seen there, and then fell to the end.
    expect(read[0]).toBe(bottom);
    expect(read).toEqual([bottom, ...ids.slice(0, -1)]);
    expect((await scroll(service, reader.token, 'order=score&limit=5')).ids).toEqual(ids);
  });

  test('a post that was seen, deleted, fell while deleted and was restored is not met again', async () => {
    const reader = await service.user();
    const [friend] = await addUsers(service, 1, 'restored');
    await addFollows(service, reader.id, [friend!]);
    const ids = await addPosts(
      service,
      Array.from({ length: 12 }, (_, i) => ({ author: friend!, secondsAgo: 100 * i })),
    );
    const [comment] = await addComments(service, [{ post: ids.at(-1)!, author: reader.id }]);
    const { ids: read } = await scroll(service, reader.token, 'order=score&limit=4', async (page) => {
      if (page !== 1) return;
      await service.dataSource.query(`UPDATE posts SET deleted_at = now() WHERE id = $1`, [ids.at(-1)]);
      await service.dataSource.query(`DELETE FROM comments WHERE id = $1`, [comment]);
      await service.dataSource.query(`UPDATE posts SET deleted_at = NULL WHERE id = $1`, [ids.at(-1)]);
    });
    expect(read).toEqual([ids.at(-1), ...ids.slice(0, -1)]);
  });

  test('falls are forgotten once no scroll can meet them', async () => {
    await service.dataSource.query(`UPDATE standing_drops SET dropped_at = clock_timestamp() - interval '26 hours'`);
    const [{ before }] = await service.dataSource.query<[{ before: number }]>(
      `SELECT count(*)::integer AS before FROM standing_drops`,
    );
    expect(before).toBeGreaterThan(0);
    await service.services.feed.forgetDrops();
    expect(await service.dataSource.query<unknown[]>(`SELECT FROM standing_drops`)).toEqual([]);
  });
});
