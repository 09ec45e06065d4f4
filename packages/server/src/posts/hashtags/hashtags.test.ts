import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { livelyTime } from '@gather-lane/core';
import { AccountDeletion } from '../../accounts/users/deletion/service.js';
import { PLAN } from '../../service/capabilities.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { checkData } from '../../workbench/check/service.js';
import { makeLivelyLists } from './lively.js';
import { fewPosts, scoredPosts } from './queries.js';

interface Hashtag {
  hashtag: string;
  shown: string;
  tallies: { posts: number; people: number };
}
interface Page<T> {
  items: T[];
  next: string | null;
}
interface Post {
  id: string;
  createdAt: string;
  laneTime: string;
  author: { id: string };
}

let service: TestService;
let [odile, bram, wren]: [Actor, Actor, Actor] = [null!, null!, null!];
beforeAll(async () => {
  service = await startTestService();
  [odile, bram, wren] = [await service.user('odile'), await service.user('bram'), await service.user('wren')];
});
afterAll(() => service.stop());

const post = async (as: Actor, body: string) => {
  const { status, json } = await service.call<Post & { version: number }>('POST', '/v1/posts', { as, body: { body } });
  expect(status).toBe(201);
  return json;
};
const edit = (as: Actor, id: string, body: string) => service.call('PATCH', `/v1/posts/${id}`, { as, body: { body } });
const remove = (as: Actor, id: string) => service.call('DELETE', `/v1/posts/${id}`, { as });
const restore = (as: Actor, id: string) => service.call('POST', `/v1/posts/${id}/restore`, { as, body: {} });
const get = <T>(path: string, as?: Actor) => service.call<T>('GET', path, as ? { as } : {});
const hashtag = async (name: string, as?: Actor) => {
  const { status, json } = await get<Hashtag>(`/v1/hashtags/${encodeURIComponent(name)}`, as);
  return status === 200 ? [json.tallies.posts, json.tallies.people] : status;
};
async function walk(path: string, as?: Actor): Promise<Post[]> {
  const all: Post[] = [];
  for (let next: string | null = ''; next !== null;) {
    const { status, json }: { status: number; json: Page<Post> } = await get<Page<Post>>(
      `${path}${next && `&after=${next}`}`,
      as,
    );
    expect(status).toBe(200);
    all.push(...json.items);
    next = json.next;
  }
  return all;
}
const faults = async () =>
  (await checkData(service.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined }))
    .filter(({ count }) => count > 0)
    .map(({ name, examples }) => ({ name, examples }));

describe('a hashtag', () => {
  test('is one whatever its case and accents, and shown as it was first written', async () => {
    await post(odile, 'First light #Café');
    await post(bram, 'A second cup #CAFÉ #cafe');
    for (const name of ['cafe', 'Cafe\u0301', '#CAFÉ', '＃café'])
      expect((await get<Hashtag>(`/v1/hashtags/${encodeURIComponent(name)}`)).json).toEqual({
        hashtag: 'cafe',
        shown: 'Café',
        tallies: { posts: 2, people: 2 },
      });
    for (const name of ['nobodysaid', 'a b', '1', '#', 'x'.repeat(51), '\uD800'.toWellFormed()])
      expect(await hashtag(name)).toBe(404);
  });

  test('gains and loses a post by edits, and by whatever takes it out of sight and brings it back', async () => {
    const { id } = await post(odile, '#ebb and #flow');
    const other = await post(bram, '#ebb alone');
    expect([await hashtag('ebb'), await hashtag('flow')]).toEqual([
      [2, 2],
      [1, 1],
    ]);
    await edit(odile, id, '#ebb and #slack');
    expect([await hashtag('ebb'), await hashtag('flow'), await hashtag('slack')]).toEqual([[2, 2], 404, [1, 1]]);
    await remove(odile, id);
    expect([await hashtag('ebb'), await hashtag('slack')]).toEqual([[1, 1], 404]);
    await restore(odile, id);
    expect([await hashtag('ebb'), await hashtag('slack')]).toEqual([
      [2, 2],
      [1, 1],
    ]);
    await service.dataSource.query(`UPDATE users SET moderator = true WHERE id = $1`, [wren.id]);
    await service.call('POST', `/v1/posts/${id}/withhold`, { as: wren, body: { reason: 'Not here' } });
    expect(await hashtag('slack')).toBe(404);
    await service.dataSource.query(`DELETE FROM posts WHERE id = $1`, [other.id]);
    expect(await hashtag('ebb')).toBe(404);
    await service.call('POST', `/v1/posts/${id}/restore`, { as: wren, body: { reason: 'It may stay' } });
    expect(await hashtag('ebb')).toEqual([1, 1]);
    await service.dataSource.query(`UPDATE users SET moderator = false WHERE id = $1`, [wren.id]);
    expect(await faults()).toEqual([]);
  });

  test('loses the posts of an account that is deleted', async () => {
    const leaving = await service.user();
    await post(leaving, '#farewell');
    await post(bram, '#farewell');
    await service.dataSource.query(`UPDATE users SET erased_at = now() WHERE id = $1`, [leaving.id]);
    expect((await walk('/v1/hashtags/farewell/posts?limit=5')).map(({ author }) => author.id)).toEqual([bram.id]);
    await service.dataSource.query(`INSERT INTO erasures (user_id) VALUES ($1)`, [leaving.id]);
    await service.house.get(AccountDeletion).erase();
    expect(await hashtag('farewell')).toEqual([1, 1]);
    expect(await faults()).toEqual([]);
  });

  test('is not there for who may see none of its posts, and holds none of those whom the viewer keeps away from', async () => {
    const { id } = await post(odile, '#secluded');
    await service.call('PUT', `/v1/blocks/${wren.id}`, { as: odile });
    expect([await hashtag('secluded', wren), await hashtag('secluded', bram)]).toEqual([404, [1, 1]]);
    expect((await get('/v1/hashtags/secluded/posts', wren)).status).toBe(404);
    await service.call('DELETE', `/v1/blocks/${wren.id}`, { as: odile });
    await service.call('PUT', `/v1/mutes/${odile.id}`, { as: wren });
    expect((await walk('/v1/hashtags/secluded/posts?limit=5', wren)).map((each) => each.id)).toEqual([]);
    expect((await walk('/v1/hashtags/secluded/posts?limit=5')).map((each) => each.id)).toEqual([id]);
    await service.call('DELETE', `/v1/mutes/${odile.id}`, { as: wren });
  });

  test('is found by its beginning, most used first, page by page', async () => {
    for (const [word, n] of [
      ['quay', 3],
      ['Quayside', 2],
      ['quaybell', 1],
    ] as const)
      for (let i = 0; i < n; i++) await post(odile, `${i} #${word}`);
    const list = async (q: string) => {
      const seen: string[] = [];
      for (let next: string | null = ''; next !== null;) {
        const { json }: { json: Page<Hashtag> } = await get<Page<Hashtag>>(
          `/v1/hashtags?limit=2&q=${encodeURIComponent(q)}${next && `&after=${next}`}`,
        );
        seen.push(...json.items.map(({ shown }) => shown));
        next = json.next;
      }
      return seen;
    };
    expect(await list('QUA')).toEqual(['quay', 'Quayside', 'quaybell']);
    expect(await list('#quays')).toEqual(['Quayside']);
    expect(await list('%')).toEqual([]);
    expect((await list('')).length).toBeGreaterThan(4);
    await post(odile, '#2026summer');
    expect(await list('2026')).toEqual(['2026summer']);
  });
});

describe('its posts', () => {
  test('equal a plain sort in both orders, with ties, whatever the way to find them', async () => {
    const people = [odile, bram, wren];
    let seed = 5;
    const chance = (n: number) => (seed = (seed * 48_271) % 2_147_483_647) % n;
    const made: { id: string; author: Actor }[] = [];
    for (let i = 0; i < 70; i++) {
      const author = people[chance(3)]!;
      made.push({ id: (await post(author, chance(3) === 0 ? `${i} #rare #often` : `${i} #often`)).id, author });
    }
    // Instants of some days, many of them the same; then reactions that lift and hold back, and some out of sight.
    await service.dataSource.query(
      `UPDATE posts SET created_at = date_trunc('second', now()) - interval '1 day' - (abs(hashtext(id::text)) % 20) * interval '3 hours' WHERE id = ANY ($1::uuid[])`,
      [made.map(({ id }) => id)],
    );
    for (let i = 0; i < 90; i++)
      await service.call('PUT', `/v1/posts/${made[chance(70)]!.id}/reaction`, {
        as: people[chance(3)]!,
        body: { kind: chance(4) ? 'like' : 'dislike' },
      });
    for (let i = 0; i < 8; i++) {
      const { id, author } = made[chance(70)]!;
      await remove(author, id);
    }
    expect(await faults()).toEqual([]);
    const key = { recent: 'createdAt', score: 'laneTime' } as const;
    for (const name of ['often', 'rare'])
      for (const order of ['recent', 'score'] as const) {
        const all = await walk(`/v1/hashtags/${name}/posts?order=${order}&limit=100`);
        const rows = await service.dataSource.query<{ id: string; recent: Date; score: Date }[]>(
          `SELECT p.id, p.created_at AS recent, s.lane_time AS score FROM posts p JOIN standings s ON s.post_id = p.id
           WHERE p.deleted_at IS NULL AND p.body LIKE $1`,
          [`%#${name}%`],
        );
        const plain = rows.sort((a, b) => +b[order] - +a[order] || (a.id < b.id ? 1 : -1)).map(({ id }) => id);
        expect(all.map(({ id }) => id)).toEqual(plain);
        expect(all.every((each, i) => i === 0 || each[key[order]] <= all[i - 1]![key[order]])).toBe(true);
        expect((await walk(`/v1/hashtags/${name}/posts?order=${order}&limit=6`)).map(({ id }) => id)).toEqual(plain);
        if (order === 'recent') continue;
        // The walk alone, the bounds alone, and a walk that ends half-way: the same page.
        const [{ id: tag }] = await service.dataSource.query<[{ id: string }]>(
          `SELECT id FROM hashtags WHERE name = $1`,
          [name],
        );
        for (const walked of [0, 1, 15, 40, 10_000])
          for (const from of [null, 7]) {
            const cursor = from === null ? null : rows.find((row) => row.id === plain[from])!;
            const found = await service.dataSource.query<{ id: string }[]>(scoredPosts(1), [
              tag,
              cursor?.score ?? null,
              cursor?.id ?? null,
              10,
              null,
              walked,
            ]);
            expect(found.map(({ id }) => id)).toEqual(plain.slice(from === null ? 0 : from + 1).slice(0, 10));
            const all = await service.dataSource.query<{ id: string }[]>(fewPosts(1), [
              tag,
              cursor?.score ?? null,
              cursor?.id ?? null,
              10,
              null,
            ]);
            expect(all).toEqual(found);
          }
      }
  }, 60_000);

  test('a scroll by score ends where another weighting comes into force, and a cursor is of its own list', async () => {
    for (let i = 0; i < 4; i++) await post(odile, `${i} #scroll`);
    const { json } = await get<Page<Post>>('/v1/hashtags/scroll/posts?order=score&limit=2');
    const on = (path: string) => get(`${path}&after=${json.next}`);
    expect((await on('/v1/hashtags/scroll/posts?order=score')).status).toBe(200);
    expect((await on('/v1/hashtags/scroll/posts?order=recent')).status).toBe(400);
    expect((await on('/v1/hashtags/often/posts?order=score')).status).toBe(400);
  });

  test('are bounded by how far the weighting moves posts, which only ever widens', async () => {
    const bounds = async () =>
      (
        await service.dataSource.query<[{ up: number; down: number; most: number; least: number }]>(
          `SELECT w.highest_lift_ms::float AS up, w.lowest_lift_ms::float AS down,
             max(extract(epoch FROM s.lane_time - p.created_at) * 1000)::float AS most, min(extract(epoch FROM s.lane_time - p.created_at) * 1000)::float AS least
           FROM weightings w, standings s JOIN posts p ON p.id = s.post_id WHERE w.in_force GROUP BY w.id`,
        )
      )[0];
    const { id } = await post(odile, 'Who else? #bounds');
    for (const kind of ['like', 'dislike'])
      for (let i = 0; i < 8; i++) {
        await service.call('PUT', `/v1/posts/${id}/reaction`, { as: await service.user(), body: { kind } });
        const { up, down, most, least } = await bounds();
        expect([up >= most, down <= least]).toEqual([true, true]);
      }
    const before = await bounds();
    await service.dataSource.query(`DELETE FROM reactions WHERE post_id = $1`, [id]);
    expect(await bounds()).toMatchObject({ up: before.up, down: before.down });
  });
});

test('the lively list is the law of lane time over the people of that time, with its numbers and its age', async () => {
  await service.dataSource.query(`UPDATE posts SET created_at = now() - interval '30 days'`);
  await post(odile, '#regatta');
  await post(odile, '#regatta once more');
  await post(bram, '#regatta too');
  const { id } = await post(wren, '#fog');
  await service.dataSource.query(`UPDATE posts SET created_at = now() - interval '2 days' WHERE id = $1`, [id]);
  expect((await get<{ madeAt: null }>('/v1/hashtags/lively')).json.madeAt).toBeNull();
  await makeLivelyLists(service.dataSource, 0);
  const lively = async (over: string) =>
    (
      await get<{
        items: (Hashtag & { lively: { posts: number; people: number; laneTime: string } })[];
        madeAt: string;
      }>(`/v1/hashtags/lively?over=${over}`)
    ).json;
  const day = await lively('day');
  expect(day.items.map(({ shown, lively: { posts, people } }) => [shown, posts, people])).toEqual([['regatta', 3, 2]]);
  expect((await lively('week')).items.map(({ shown }) => shown)).toEqual(['regatta', 'fog']);
  expect(Math.abs(Date.parse(day.madeAt) - Date.now())).toBeLessThan(60_000);
  const latest = await service.dataSource.query<{ at: Date }[]>(
    `SELECT max(created_at) AS at FROM posts WHERE body LIKE '#regatta%' GROUP BY author_id`,
  );
  expect(Date.parse(day.items[0]!.lively.laneTime)).toBe(
    livelyTime(
      latest.map(({ at }) => +at),
      8 * 3_600_000,
    ),
  );
  // The word of the list's own address is reached with its sign.
  await post(odile, '#lively');
  expect(await hashtag('#lively')).toEqual([1, 1]);
  const before = day.madeAt;
  await makeLivelyLists(service.dataSource);
  expect((await lively('day')).madeAt).toBe(before);
});

test('counts are exact after a storm of edits, deletes and restores from many callers', async () => {
  const people = [odile, bram, wren, await service.user()];
  const words = ['#gust', '#gale', '#squall', '#calm', ''];
  let seed = 3;
  const chance = (n: number) => (seed = (seed * 48_271) % 2_147_483_647) % n;
  const text = () => `${words[chance(5)]} ${words[chance(5)]} ${words[chance(5)]} blown`;
  const made = await Promise.all(
    Array.from({ length: 16 }, async (_, i) => ({ as: people[i % 4]!, id: (await post(people[i % 4]!, text())).id })),
  );
  for (let round = 0; round < 8; round++) {
    const replies = await Promise.all(
      Array.from({ length: 24 }, () => {
        const { as, id } = made[chance(made.length)]!;
        const act = chance(4);
        if (act === 0) return remove(as, id);
        if (act === 1) return restore(as, id);
        return act === 2 ? edit(as, id, text()) : service.call('POST', '/v1/posts', { as, body: { body: text() } });
      }),
    );
    for (const { status } of replies) expect([200, 201, 204, 404, 409]).toContain(status);
  }
  expect(await faults()).toEqual([]);
}, 60_000);
