import { expect } from '@jest/globals';
import type { FindWay } from '@gather-lane/core';
import { Feed } from '../feed/service.js';
import { Blocks } from '../graph/blocks/service.js';
import { addComments, addFollows, addPosts, addReactions, addUsers, dice, plainFeed, scroll } from './graph.js';
import type { Actor, TestService } from './test-service.js';

/** How many are followed by whom a way suits. */
const SUITS = { window: 20, sweep: 200, probe: 5_000, sieve: 500, heads: 20 } satisfies Record<FindWay, number>;

/**
 * Makes the next page of a feed be looked for in a way first, whatever suits it.
 * @param span milliseconds that the page before is said to have covered: what a window is as high as three of
 */
export function plant(service: TestService, viewer: string, way: FindWay, span = 60_000): void {
  const { ways } = service.house.get(Feed);
  const now = Date.now();
  for (const order of ['recent', 'score'] as const) {
    const page = {
      used: way,
      failed: [],
      following: SUITS[way],
      from: null,
      first: now,
      last: now - span,
      entries: 21,
    };
    // Of a first page that was not whole nothing stays known but the way.
    ways.learn(viewer, order, { ...page, filled: way === 'window' });
  }
  // Whom they follow is said to have stayed the same over some pages, so that one is made of that at the next.
  if (way === 'sieve')
    for (let i = 0; i < 64; i++) ways.sieves.learn(viewer, { sieved: false, following: SUITS.sieve, state: 'planted' });
}

/** Somebody who reads their feed, and whether their own posts are in it. */
export interface FeedReader extends Actor {
  readonly own: boolean;
}

/** Makes a random graph: who follows, mutes and blocks whom, posts, comments, reactions, some posts deleted. @returns who reads feeds there */
export async function randomGraph(service: TestService, { int, pick, chance, seed }: Dice): Promise<FeedReader[]> {
  const users = await addUsers(service, 40, `seed${seed}`);
  const idle = users.slice(0, 8);
  const writers = users.slice(8);
  const span = pick([30, 300, 20_000]);
  // A few write nearly everything, so that the sweep meets them alone.
  const posts = await addPosts(
    service,
    Array.from({ length: 240 }, () => ({
      author: chance(0.6) ? writers[int(3)]! : pick(writers),
      secondsAgo: int(span),
    })),
  );
  await addComments(
    service,
    Array.from({ length: 150 }, () => ({ post: pick(posts), author: pick(users) })),
  );
  await addReactions(
    service,
    Array.from({ length: 300 }, () => ({ post: pick(posts), user: pick(users), kind: pick(['like', 'dislike']) })),
  );
  const deleted = posts.filter(() => chance(0.08));
  await service.dataSource.query(`UPDATE posts SET deleted_at = now() WHERE id = ANY ($1)`, [deleted]);

  const readers: FeedReader[] = [];
  for (const followees of [
    [],
    idle,
    idle.concat(writers.slice(-2)),
    writers.slice(-1),
    writers.slice(0, 3),
    writers,
    users,
  ]) {
    const viewer = await service.user();
    await addFollows(service, viewer.id, followees);
    // Some of them muted, one blocked and one who blocks: a block ends the follow.
    for (const mute of followees.filter(() => chance(0.15)))
      await service.call('PUT', `/v1/mutes/${mute}`, { as: viewer });
    if (followees[2]) await service.call('PUT', `/v1/blocks/${pick(followees)}`, { as: viewer });
    if (followees[3]) await service.house.get(Blocks).add('blocks', pick(followees), viewer.id);
    if (chance(0.5)) await addPosts(service, [{ author: viewer.id, secondsAgo: int(span) }]);
    readers.push({ ...viewer, own: chance(0.5) });
  }
  return readers;
}

/** Holds the feeds of some against a plain sort, in both orders, page by page to the end. */
export async function expectFeedsOf(
  service: TestService,
  readers: readonly FeedReader[],
  way: FindWay,
  { int }: Dice,
): Promise<void> {
  for (const { id, token, own } of readers)
    for (const order of ['recent', 'score'] as const) {
      const limit = 1 + int(30);
      // From a window that holds nothing to one that holds all.
      const again = () => plant(service, id, way, 10 ** int(9));
      again();
      const query = `order=${order}&limit=${limit}&own=${own}`;
      const { ids, pages } = await scroll(service, token, query, async () => again());
      expect(ids).toEqual(await plainFeed(service, id, order, own));
      expect(pages.slice(0, -1).every((page) => page.items.length === limit)).toBe(true);
      if (pages.length > 1) expect(pages.at(-1)!.items.length).toBeGreaterThan(0);
    }
}

/** Holds the feeds of several viewers of a random graph against a plain sort. */
export async function expectPlainFeeds(service: TestService, way: FindWay, seed: number): Promise<void> {
  const rolled = { ...dice(seed), seed };
  await expectFeedsOf(service, await randomGraph(service, rolled), way, rolled);
}

type Dice = ReturnType<typeof dice> & { readonly seed: number };
