import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import {
  addComments,
  addFollows,
  addPosts,
  addReactions,
  addUsers,
  dice,
  plainFeed,
  scroll,
  type FeedReply,
} from '../tests/graph.js';
import { expectPlainFeeds, plant } from '../tests/plain-feeds.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';
import { SWEEP_ENTRIES, type FindWay } from '@gather-lane/core';

const WAYS: readonly FindWay[] = ['window', 'sweep', 'probe', 'sieve', 'heads'];

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

const feed = (as: Actor, query = '') => service.call<FeedReply>('GET', `/v1/feeds/following?${query}`, { as });

describe('the feed query', () => {
  // Follow counts on both sides of where a way gives up, idle followees, many ties in time and lane time.
  test.each(WAYS.flatMap((way, i) => [1, 2, 3].map((seed) => [way, 3 * i + seed] as const)))(
    'equals a plain sort over a random graph, looked for by %s whoever asks, seed %i',
    (way, seed) => expectPlainFeeds(service, way, seed),
  );

  // More of others' posts between any two of the feed's than the sweep looks at: every page, not the first alone, is read by
  // heads, and ends at a floor.
  test.each([
    ['sweep', 1],
    ['window', 2],
    ['probe', 3],
    ['heads', 4],
    ['sieve', 5],
  ] as const)('does so where the walk gives up on every page, by %s, seed %i', async (way, seed) => {
    const { int, pick } = dice(100 + seed);
    const [followees, others] = [await addUsers(service, 14, `rare${seed}`), await addUsers(service, 3, `busy${seed}`)];
    const viewer = await service.user();
    await addFollows(service, viewer.id, followees);
    const between = SWEEP_ENTRIES * (followees.length + 1) + 1;
    const theirs = [...followees, ...Array.from({ length: int(14) }, () => pick(followees))];
    const authors = theirs.flatMap((author) => [...Array.from({ length: between }, () => pick(others)), author]);
    await addPosts(
      service,
      authors.map((author, i) => ({ author, secondsAgo: 10 + i })),
    );
    for (const order of ['recent', 'score'] as const)
      for (const limit of [1, 2, 7, 10, 13]) {
        plant(service, viewer.id, way);
        const query = `order=${order}&limit=${limit}&own=false`;
        const { ids, pages } = await scroll(service, viewer.token, query, async () => plant(service, viewer.id, way));
        expect(ids).toEqual(await plainFeed(service, viewer.id, order, false));
        expect(ids).toHaveLength(theirs.length);
        expect(pages.slice(0, -1).every((page) => page.items.length === limit)).toBe(true);
      }
  });

  test('takes one statement for a page of any size, which looks at the session too, and more where a guess fails', async () => {
    const viewer = await service.user();
    const writers = await addUsers(service, 5, 'counted');
    await addFollows(service, viewer.id, writers);
    await addPosts(
      service,
      Array.from({ length: 120 }, (_, i) => ({ author: writers[i % 5]!, secondsAgo: i })),
    );
    const counted = pg.Client.prototype as { query: (...args: unknown[]) => unknown };
    const { query } = counted;
    let statements = 0;
    counted.query = function (this: unknown, ...args: unknown[]) {
      // How often somebody calls is told beside the calls, ten times a second.
      if (!String(args[0]).includes('call_counts')) statements++;
      return query.apply(this, args);
    };
    const took = async (limit: number, order: string) => {
      statements = 0;
      const { json } = await feed(viewer, `limit=${limit}&order=${order}&place=true`);
      expect(json.items).toHaveLength(Math.min(limit, 120));
      return statements;
    };
    try {
      // How many they follow is known from the first page on, and the keys once the first cursor was written.
      for (const order of ['recent', 'score', 'recent', 'score']) await took(1, order);
      for (const limit of [1, 20, 100])
        for (const order of ['recent', 'score']) expect(await took(limit, order)).toBe(1);
      plant(service, viewer.id, 'probe');
      // A sweep and heads after it: what is probed for is mostly met by a sweep, and here is not.
      expect([await took(20, 'recent'), await took(20, 'recent')]).toEqual([3, 1]);
      plant(service, viewer.id, 'window', 1);
      expect([await took(20, 'score'), await took(20, 'score')]).toEqual([2, 1]);
    } finally {
      counted.query = query;
    }
  });
});

describe('a session that has ended', () => {
  test('is refused on the very next call, whatever is wrong with the call beside', async () => {
    const viewer = await service.user();
    await addPosts(service, [{ author: viewer.id, secondsAgo: 5 }]);
    const { first, items } = (await feed(viewer)).json;
    expect(items).toHaveLength(1);
    expect((await feed(viewer)).status).toBe(200);
    const newer = () => service.call('GET', `/v1/feeds/following/newer?than=${first}`, { as: viewer });
    expect((await newer()).status).toBe(200);
    await service.call('DELETE', '/v1/sessions', { as: viewer });
    for (const query of ['', 'order=score&place=true', 'after=x', `after=${first}`])
      expect(await feed(viewer, query)).toMatchObject({
        status: 401,
        json: { type: expect.stringContaining('bad-token') },
      });
    expect(await newer()).toMatchObject({ status: 401 });
  });

  test('is refused though the statement beside the look at it fails', async () => {
    const viewer = await service.user();
    await addPosts(service, [
      { author: viewer.id, secondsAgo: 5 },
      { author: viewer.id, secondsAgo: 6 },
    ]);
    const { next } = (await feed(viewer, 'order=score&limit=1')).json;
    const { cursors } = service.house;
    const gone = (await cursors.feedWriter())({ ...(await cursors.readFeed(next!))!, weighting: 99 });
    expect((await feed(viewer, `order=score&after=${gone}`)).status).toBe(410);
    await service.call('DELETE', '/v1/sessions', { as: viewer });
    expect((await feed(viewer, `order=score&after=${gone}`)).status).toBe(401);
  });
});

describe('cursors', () => {
  test('are bound to order and choice, and refused when changed', async () => {
    const viewer = await service.user();
    await addPosts(
      service,
      Array.from({ length: 5 }, (_, i) => ({ author: viewer.id, secondsAgo: i })),
    );
    const { next, first } = (await feed(viewer, 'limit=2&order=score')).json;
    const refused = [
      'order=recent&after=' + next,
      'order=score&own=false&after=' + next,
      'order=score&after=' + first,
      'order=score&after=' + next!.slice(1),
      'after=x',
      'after=',
    ];
    for (const query of refused) expect((await feed(viewer, query)).status).toBe(400);
    expect((await feed(viewer, `order=score&limit=3&after=${next}`)).json.items).toHaveLength(3);
    expect((await service.call('GET', `/v1/feeds/following/newer?than=${next}`, { as: viewer })).status).toBe(400);
  });

  test('of a scroll that began more than a day ago answers 410', async () => {
    const viewer = await service.user();
    await addPosts(
      service,
      Array.from({ length: 3 }, (_, i) => ({ author: viewer.id, secondsAgo: i })),
    );
    const { next } = (await feed(viewer, 'limit=1')).json;
    const { cursors } = service.house;
    const begun = (await cursors.readFeed(next!))!;
    const old = (await cursors.feedWriter())({ ...begun, begun: Date.now() - 25 * 3_600_000 });
    expect(await feed(viewer, `after=${old}`)).toMatchObject({ status: 410, json: { title: 'This scroll has ended' } });
    const gone = (await cursors.feedWriter())({ ...begun, weighting: 99 });
    expect((await feed(viewer, `after=${gone}`)).status).toBe(410);
  });
});

describe('what a feed holds', () => {
  test('an empty one is empty, and marks where it began', async () => {
    const viewer = await service.user();
    const { json } = await feed(viewer, 'order=score');
    expect(json).toMatchObject({ items: [], next: null });
    expect(json.first).toEqual(expect.any(String));
    expect((await service.call('GET', '/v1/feeds/following')).status).toBe(401);
  });

  test('the list after posting equals the list fetched afresh, and begins with the new post', async () => {
    const [viewer, friend] = [await service.user(), await service.user()];
    await addFollows(service, viewer.id, [friend.id]);
    await addPosts(service, [
      { author: friend.id, secondsAgo: 60 },
      { author: viewer.id, secondsAgo: 30 },
    ]);
    const before = (await feed(viewer)).json.items;
    const post = await service.call<{ id: string }>('POST', '/v1/posts', { as: viewer, body: { body: 'Just now' } });
    const after = (await feed(viewer)).json.items;
    expect(after.map((item) => item.id)).toEqual([post.json.id, ...before.map((item) => item.id)]);
    expect(after[0]).toEqual(post.json);
    expect((await feed(viewer)).json.items).toEqual(after);
    expect((await feed(viewer, 'own=false')).json.items.map((item) => item.id)).toEqual([before[1]!.id]);
  });

  test('a comment lifts a post past a later one at once, and its author’s own comments do not', async () => {
    const [viewer, friend] = [await service.user(), await service.user()];
    await addFollows(service, viewer.id, [friend.id]);
    const [early, late] = await addPosts(service, [
      { author: friend.id, secondsAgo: 3600 },
      { author: friend.id, secondsAgo: 60 },
    ]);
    const ids = async () => (await feed(viewer, 'order=score')).json.items.map((item) => item.id);
    await service.call('POST', `/v1/posts/${early}/comments`, { as: friend, body: { body: 'My own words' } });
    expect(await ids()).toEqual([late, early]);
    await service.call('POST', `/v1/posts/${early}/comments`, { as: viewer, body: { body: 'Another’s words' } });
    expect(await ids()).toEqual([early, late]);
    const [top] = (await feed(viewer, 'order=score&place=true')).json.items;
    expect(top!.place).toMatchObject({
      follows: { handle: friend.handle },
      lift: 0.807,
      parts: expect.arrayContaining([{ kind: 'comment', people: 1, weight: 3 }]) as unknown,
    });
    expect(top!.place!.laneTime).toBe(top!.laneTime);
    expect(top!.place!.sentence).toContain(`You follow @${friend.handle}; posted`);
  });

  test('a post stands at one lane time in either order, with its place and without, and by itself', async () => {
    const [viewer, friend] = [await service.user(), await service.user()];
    const crowd = await addUsers(service, 9, 'lifting');
    await addFollows(service, viewer.id, [friend.id]);
    const posts = await addPosts(
      service,
      Array.from({ length: 8 }, (_, i) => ({ author: friend.id, secondsAgo: 60 * (i + 1) })),
    );
    await addReactions(
      service,
      posts.flatMap((post, i) =>
        [friend.id, ...crowd.slice(0, i)].map((user, n) => ({ post, user, kind: n % 3 === 2 ? 'dislike' : 'like' })),
      ),
    );
    await addComments(
      service,
      posts.slice(3).flatMap((post) => crowd.slice(0, 5).map((author) => ({ post, author }))),
    );
    const standing = new Map<string, string>();
    for (const id of posts) {
      const { json } = await service.call<{ laneTime: string; createdAt: string }>('GET', `/v1/posts/${id}`, {
        as: viewer,
      });
      standing.set(id, json.laneTime);
    }
    expect(new Set(standing.values()).size).toBe(8);
    for (const query of ['', 'place=true', 'order=score', 'order=score&place=true']) {
      const { items } = (await feed(viewer, query)).json;
      expect(new Map(items.map(({ id, laneTime }) => [id, laneTime]))).toEqual(standing);
    }
  });

  test('unfollowing empties it, following fills it', async () => {
    const [viewer, friend] = [await service.user(), await service.user()];
    const [post] = await addPosts(service, [{ author: friend.id, secondsAgo: 5 }]);
    await service.call('PUT', `/v1/follows/${friend.id}`, { as: viewer });
    expect((await feed(viewer)).json.items.map((item) => item.id)).toEqual([post]);
    await service.call('DELETE', `/v1/follows/${friend.id}`, { as: viewer });
    expect((await feed(viewer)).json.items).toEqual([]);
  });
});

describe('newer', () => {
  const newer = async (as: Actor, than: string) =>
    (await service.call('GET', `/v1/feeds/following/newer?than=${than}`, { as })).json;

  test('counts what was made and what rose since, apart from the first post itself', async () => {
    const [viewer, friend, stranger] = [await service.user(), await service.user(), await service.user()];
    await addFollows(service, viewer.id, [friend.id]);
    const [old] = await addPosts(service, [
      { author: friend.id, secondsAgo: 7200 },
      { author: friend.id, secondsAgo: 3600 },
    ]);
    const { first } = (await feed(viewer, 'order=score')).json;
    const none = { new: 0, risen: 0, more: false, reordered: false };
    expect(await newer(viewer, first)).toEqual(none);
    await service.call('POST', '/v1/posts', { as: stranger, body: { body: 'not followed' } });
    await service.call('POST', '/v1/posts', { as: friend, body: { body: 'followed' } });
    await service.call('POST', `/v1/posts/${old}/comments`, { as: stranger, body: { body: 'lifts it' } });
    expect(await newer(viewer, first)).toEqual({ ...none, new: 1, risen: 1 });
    const { first: recent } = (await feed(viewer)).json;
    expect(await newer(viewer, recent)).toEqual(none);
  });

  test('counts 99 at most, for an idle viewer of a busy service as for an eager one', async () => {
    const [idle, eager] = [await service.user(), await service.user()];
    const writers = await addUsers(service, 3, 'busy');
    await addFollows(service, eager.id, writers);
    const marks = await Promise.all([idle, eager].map(async (viewer) => (await feed(viewer)).json.first));
    await addPosts(
      service,
      Array.from({ length: 150 }, (_, i) => ({ author: writers[i % 3]!, secondsAgo: -1 - i })),
    );
    expect(await newer(idle, marks[0]!)).toEqual({ new: 0, risen: 0, more: false, reordered: false });
    expect(await newer(eager, marks[1]!)).toEqual({ new: 99, risen: 0, more: true, reordered: false });
  });
});

describe('places', () => {
  test('say why a post stands there, or why it is not there', async () => {
    const [viewer, friend, stranger] = [await service.user(), await service.user(), await service.user()];
    await addFollows(service, viewer.id, [friend.id]);
    const [theirs, strange, mine, gone] = await addPosts(
      service,
      [friend, stranger, viewer, friend].map((who) => ({ author: who.id, secondsAgo: 60 })),
    );
    await service.dataSource.query(`UPDATE posts SET deleted_at = now() WHERE id = $1`, [gone]);
    const own = (post: string) => service.call('GET', `/v1/feeds/following/places/${post}`, { as: viewer });
    expect((await own(theirs!)).json).toMatchObject({ inFeed: true, reason: null, place: { own: false } });
    expect((await own(mine!)).json).toMatchObject({ inFeed: true, place: { own: true } });
    expect((await own(strange!)).json).toMatchObject({ inFeed: false, reason: 'not-followed', place: null });
    expect((await own(gone!)).status).toBe(404);
    const asOperator = (post: string) =>
      service.call('GET', `/v1/operator/places/@${viewer.handle}/${post}`, { as: service.operatorKey });
    expect((await asOperator(gone!)).json).toMatchObject({ inFeed: false, reason: 'deleted' });
    expect((await asOperator(theirs!)).json).toMatchObject({ inFeed: true });
    expect((await service.call('GET', `/v1/operator/places/@${viewer.handle}/${theirs}`, { as: viewer })).status).toBe(
      403,
    );
  });
});
