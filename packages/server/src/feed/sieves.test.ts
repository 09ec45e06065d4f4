import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { Blocks } from '../graph/blocks/service.js';
import { addFollows, addPosts, addUsers, dice, plainFeed, scroll } from '../tests/graph.js';
import { Sieves } from './sieves.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';

// Feeds of those who follow so many that a sieve of them is remembered: what changes in whom they follow is seen on the very next page.

const FOLLOWED = 310;
const counted = pg.Client.prototype as { query: (...args: unknown[]) => unknown };
const { query } = counted;

let service: TestService;
let viewer: Actor;
let authors: string[];
let strangers: string[];
/** Statements of the last look, by what they do. */
let sent: string[] = [];

beforeAll(async () => {
  service = await startTestService();
  authors = await addUsers(service, FOLLOWED, 'followed');
  strangers = await addUsers(service, 40, 'stranger');
  const { pick, int } = dice(5);
  await addPosts(
    service,
    Array.from({ length: 400 }, () => ({ author: pick([...authors, ...strangers]), secondsAgo: 60 + int(4_000) })),
  );
  counted.query = function (this: unknown, ...args: unknown[]) {
    const { text = args[0] } = args[0] as { text?: unknown };
    if (String(text).includes('get_bit')) sent.push('sieve');
    else if (String(text).includes('uuid_hash')) sent.push('making');
    else if (/WITH (entries|bound|above) AS/.test(String(text))) sent.push('other');
    return query.apply(this, args);
  };
});
afterAll(async () => {
  counted.query = query;
  await service.stop();
});
beforeEach(async () => {
  viewer = await service.user();
  await addFollows(service, viewer.id, authors);
  sent = [];
});

/** A first page of either order, held against a plain sort. */
async function look(order: 'recent' | 'score' = 'recent'): Promise<string[]> {
  sent = [];
  const { json } = await service.call<{ items: { id: string }[] }>('GET', `/v1/feeds/following?order=${order}`, {
    as: viewer,
  });
  const ids = json.items.map(({ id }) => id);
  expect(ids).toEqual((await plainFeed(service, viewer.id, order, true)).slice(0, 20));
  return ids;
}
/** Reads until a sieve is remembered. */
async function untilSieved(): Promise<void> {
  for (let page = 0; page < 5 && sent.at(-1) !== 'sieve'; page++) await look();
  expect(sent.at(-1)).toBe('sieve');
}
/** A post of just now. */
const newest = async (author: string) => (await addPosts(service, [{ author, secondsAgo: 1 }]))[0]!;

describe('a feed that is read through a sieve', () => {
  test('is so from the third page on, in both orders, for one statement each, and down to its end', async () => {
    await look();
    await look();
    await look();
    expect(sent).toEqual(['making', 'sieve']);
    await look();
    expect(sent).toEqual(['sieve']);
    for (let page = 0; page < 2; page++) await look('score');
    expect(sent).toEqual(['sieve']);
    const { ids } = await scroll(service, viewer.token, 'order=score&limit=50', () => Promise.resolve());
    expect(ids).toEqual(await plainFeed(service, viewer.id, 'score', true));
  });

  test('has the posts of whom the viewer has just come to follow, and none of whom they no longer do', async () => {
    await untilSieved();
    const [friend] = strangers as [string];
    const post = await newest(friend);
    expect(await look()).not.toContain(post);
    expect(sent).toEqual(['sieve']);
    await service.call('PUT', `/v1/follows/${friend}`, { as: viewer });
    expect((await look())[0]).toBe(post);
    expect(sent).toEqual(['sieve', 'other']);
    await service.call('DELETE', `/v1/follows/${friend}`, { as: viewer });
    expect(await look()).not.toContain(post);
  });

  test('has them where as many come as go, and where the follow was begun before the sieve was made', async () => {
    const [friend, later] = strangers.slice(1) as [string, string];
    const [posts, open] = [[await newest(later), await newest(friend)], new pg.Client(service.database)];
    await open.connect();
    await open.query('BEGIN');
    await open.query(`INSERT INTO follows (follower_id, followee_id) VALUES ($1, $2)`, [viewer.id, later]);
    await untilSieved();
    await open.query('COMMIT');
    await open.end();
    expect(await look()).toContain(posts[0]);
    await look();
    await untilSieved();
    await service.dataSource.query(
      `WITH gone AS (DELETE FROM follows WHERE follower_id = $1 AND followee_id = $2)
       INSERT INTO follows (follower_id, followee_id) VALUES ($1, $3)`,
      [viewer.id, authors[0], friend],
    );
    expect((await look())[0]).toBe(posts[1]);
  });

  test('leaves out who is muted or blocks, and has the viewer’s own posts', async () => {
    const [muted, blocker] = authors as [string, string];
    const own = await newest(viewer.id);
    await untilSieved();
    const posts = [await newest(muted), await newest(blocker)];
    expect((await look()).slice(0, 3).sort()).toEqual([own, ...posts].sort());
    expect(sent).toEqual(['sieve']);
    await service.call('PUT', `/v1/mutes/${muted}`, { as: viewer });
    expect(await look()).not.toContain(posts[0]);
    expect(sent).toEqual(['sieve']);
    await service.house.get(Blocks).add('blocks', blocker, viewer.id);
    expect(await look()).not.toContain(posts[1]);
    const another = await newest(viewer.id);
    expect((await look())[0]).toBe(another);
  });

  test('is looked through it for what is newer, and again without it where whom they follow has changed, or too much is newer', async () => {
    await untilSieved();
    const [friend] = strangers.slice(3) as [string];
    const { json } = await service.call<{ first: string }>('GET', '/v1/feeds/following', { as: viewer });
    const newer = async () => {
      sent = [];
      const reply = await service.call('GET', `/v1/feeds/following/newer?than=${json.first}`, { as: viewer });
      return reply.json;
    };
    const none = { new: 0, risen: 0, more: false, reordered: false };
    expect([await newer(), sent]).toEqual([none, ['sieve']]);
    for (const author of [friend, authors[5]!]) await addPosts(service, [{ author, secondsAgo: -1 }]);
    expect([await newer(), sent]).toEqual([{ ...none, new: 1 }, ['sieve']]);
    // Their own post is one more of what they have.
    await addPosts(service, [{ author: viewer.id, secondsAgo: -1 }]);
    expect([await newer(), sent]).toEqual([{ ...none, new: 2 }, ['sieve', 'other']]);
    expect([await newer(), sent]).toEqual([{ ...none, new: 2 }, ['making', 'sieve']]);
    await service.call('PUT', `/v1/follows/${friend}`, { as: viewer });
    expect([await newer(), sent]).toEqual([{ ...none, new: 3 }, ['sieve', 'other']]);
    await service.call('PUT', `/v1/mutes/${authors[5]}`, { as: viewer });
    expect(await newer()).toEqual({ ...none, new: 2 });
    await service.call('DELETE', `/v1/follows/${friend}`, { as: viewer });
    await look();
    await untilSieved();
    await addPosts(
      service,
      Array.from({ length: 4 * FOLLOWED + 10 }, () => ({ author: friend, secondsAgo: -1 })),
    );
    await addPosts(service, [{ author: authors[6]!, secondsAgo: -2 }]);
    expect([await newer(), sent]).toEqual([{ ...none, new: 2 }, ['sieve', 'other']]);
  });

  test('is read without one where whom they follow cannot be read for it, and that is not tried again at once', async () => {
    let asked = 0;
    const sieves = new Sieves(() => Promise.reject(new Error(`no such function, ${++asked}`)));
    for (let page = 0; page < 2; page++) sieves.learn(viewer.id, { sieved: false, following: 1_000, state: 'a' });
    expect([await sieves.of(viewer.id), await sieves.of(viewer.id), asked]).toEqual([undefined, undefined, 1]);
  });

  test.each([1, 2, 3])('is the plain sort after each of many acts, seed %i', async (seed) => {
    const { int, pick, chance } = dice(70 + seed);
    let sieved = 0;
    for (let step = 0; step < 60; step++) {
      const who = pick([...authors, ...strangers]);
      const act = int(8);
      if (act === 0) await service.call('PUT', `/v1/follows/${who}`, { as: viewer });
      else if (act === 1) await service.call('DELETE', `/v1/follows/${who}`, { as: viewer });
      else if (act === 2) await service.call(chance(0.5) ? 'PUT' : 'DELETE', `/v1/mutes/${who}`, { as: viewer });
      else if (act === 3) await newest(who);
      for (let pages = int(4); pages >= 0; pages--) {
        await look(pick(['recent', 'score']));
        if (sent.includes('sieve')) sieved++;
      }
    }
    expect(sieved).toBeGreaterThan(20);
  });
});
