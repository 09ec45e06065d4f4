import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { addComments, addFollows, addPosts, addUsers, dice, scroll } from '../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';
import { Feed } from './service.js';
import { Sessions } from '../accounts/sessions/service.js';
import { Weightings } from '../workbench/weighting/service.js';
import { weightingInForce } from '../ranking/weighting/in-force.js';

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
    Array.from({ length: 300 }, (_, i) => ({ author: writers[i % 12]!, secondsAgo: 60 + (i % 150) * 40 })),
  );
  await addComments(
    service,
    Array.from({ length: 250 }, (_, i) => ({ post: posts[(i * 7) % 300]!, author: writers[(i * 5) % 12]! })),
  );
});
afterAll(() => service.stop());

/**
 * Scrolls to the end while others post, comment, react, take back, delete, restore, mute and block, while the viewer mutes
 * somebody, while a drop that began before the scroll commits after its first page, and while a new weighting is adopted.
 */
async function underWrites(order: 'recent' | 'score', seed: number, adopting: boolean) {
  const { int, pick, chance } = dice(seed);
  const { dataSource, house } = service;
  const actors = await Promise.all(
    writers.slice(0, 4).map(async (id) => ({ id, token: (await house.get(Sessions).actAs(id)).accessToken! })),
  );
  await dataSource.query(`UPDATE posts SET deleted_at = NULL WHERE deleted_at IS NOT NULL`);
  await dataSource.query(`DELETE FROM mutes`);
  // Half of the posts are never touched: these the scroll may not skip.
  const half = posts.filter((_, i) => (i + seed) % 2 === 0);
  const touchable = posts.filter((_, i) => (i + seed) % 2 === 1);
  const touched = new Set<string>();
  let [done, acts] = [false, 0];
  const write = async (as: { id: string; token: string }) => {
    const made: string[] = [];
    const call = (method: string, path: string, body?: object) =>
      service.call<{ id?: string }>(method, path, { as: as.token, ...(body && { body }) });
    for (; !done; acts++) {
      const post = pick(touchable);
      touched.add(post);
      const act = int(100);
      if (act < 12) await call('POST', '/v1/posts', { body: `new ${int(1e6)}` });
      else if (act < 40) await call('PUT', `/v1/posts/${post}/reaction`, { kind: pick(['like', 'dislike']) });
      else if (act < 60) await call('DELETE', `/v1/posts/${post}/reaction`);
      else if (act < 65) await call(chance(0.5) ? 'PUT' : 'DELETE', `/v1/mutes/${pick(writers)}`);
      else if (act < 70) await call(chance(0.5) ? 'PUT' : 'DELETE', `/v1/blocks/${pick(writers)}`);
      else if (act < 82 || made.length === 0) {
        const { json } = await call('POST', `/v1/posts/${post}/comments`, { body: 'in between' });
        if (json.id) made.push(json.id);
      } else if (act < 92) await call('DELETE', `/v1/comments/${made.splice(int(made.length), 1)[0]}`);
      else
        await dataSource.query(
          `UPDATE posts SET deleted_at = CASE WHEN deleted_at IS NULL THEN clock_timestamp() END WHERE id = $1`,
          [post],
        );
    }
  };
  // It stands high by a crowd of likes, falls by a transaction that began before, and would be met again where it fell to.
  const falling = touchable.at(-1)!;
  await dataSource.query(
    `INSERT INTO reactions (post_id, user_id, kind) SELECT $1, unnest($2::uuid[]), 'like' ON CONFLICT DO NOTHING`,
    [falling, writers],
  );
  const client = new pg.Client(service.database);
  await client.connect();
  await client.query('BEGIN');
  await client.query(`DELETE FROM reactions WHERE post_id = $1`, [falling]);
  const writing = Promise.all(actors.map(write));
  const muted = writers.at(-1)!;
  const { ids } = await scroll(service, viewer.token, `order=${order}&limit=7`, async (page) => {
    if (page === 1) await client.query('COMMIT');
    if (page === 12) await service.call('PUT', `/v1/mutes/${muted}`, { as: viewer });
    if (page === 20 && adopting) {
      const halfLifeMs = (await weightingInForce(dataSource)).halfLifeMs === 3_600_000 ? 28_800_000 : 3_600_000;
      await house.get(Weightings).adopt({ halfLifeMs }, { note: '', by: 'a test' });
      await house.get(Weightings).build();
    }
    // Each of the writers acts once at least between two pages.
    const from = acts;
    while (acts < from + actors.length) await new Promise<void>((resolve) => setImmediate(resolve));
  });
  done = true;
  await writing;
  await client.end();
  await dataSource.query(`DELETE FROM blocks`);
  await addFollowsAgain();
  const ofMuted = new Set(posts.filter((_, i) => writers[i % 12] === muted));
  return { ids, untouched: half.filter((post) => !ofMuted.has(post)), touched };
}

/** Blocks among the writers leave the viewer's follows alone; this makes sure of it for the next scroll. */
const addFollowsAgain = () =>
  service.dataSource.query(
    `INSERT INTO follows (follower_id, followee_id) SELECT $1, unnest($2::uuid[]) ON CONFLICT DO NOTHING`,
    [viewer.id, writers],
  );

describe('reading on while others write', () => {
  test.each([
    ['recent', 1, false],
    ['recent', 2, true],
    ['score', 3, false],
    ['score', 4, true],
    ['score', 5, true],
  ] as const)(
    'order=%s, seed %i, adopting %s: no post twice, and none that did not move is skipped',
    async (order, seed, adopting) => {
      const { ids, untouched, touched } = await underWrites(order, seed, adopting);
      expect(touched.size).toBeGreaterThan(20);
      expect(ids.length - new Set(ids).size).toBe(0);
      const seen = new Set(ids);
      expect(untouched.filter((post) => !seen.has(post))).toEqual([]);
    },
  );

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

  test('drops are forgotten once no scroll can meet them', async () => {
    const count = async () => (await service.dataSource.query<unknown[]>(`SELECT FROM standing_drops`)).length;
    const [here] = [await count()];
    // A scroll lives a day: what fell within it may be met until it has ended.
    await service.dataSource.query(`UPDATE standing_drops SET dropped_at = clock_timestamp() - interval '24 hours'`);
    await service.house.get(Feed).forgetDrops();
    expect(await count()).toBe(here);
    await service.dataSource.query(`UPDATE standing_drops SET dropped_at = clock_timestamp() - interval '26 hours'`);
    const [{ before }] = await service.dataSource.query<[{ before: number }]>(
      `SELECT count(*)::integer AS before FROM standing_drops`,
    );
    expect(before).toBeGreaterThan(0);
    await service.house.get(Feed).forgetDrops();
    expect(await service.dataSource.query<unknown[]>(`SELECT FROM standing_drops`)).toEqual([]);
  });
});
