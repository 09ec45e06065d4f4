import { inBucketOf } from '@gather-lane/core';
import { v7 as uuidv7 } from 'uuid';
import type { Reply, TestService } from './test-service.js';

/** A small deterministic generator, so that a failing case can be run again. */
export function dice(seed: number): {
  int: (max: number) => number;
  pick: <T>(from: readonly T[]) => T;
  chance: (p: number) => boolean;
} {
  let state = seed >>> 0 || 1;
  const next = () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
  const int = (max: number) => Math.floor(next() * max);
  return { int, pick: (from) => from[int(from.length)]!, chance: (p) => next() < p };
}

/** Users by handle order, straight into the database. */
export async function addUsers(service: TestService, count: number, prefix: string): Promise<string[]> {
  const ids = Array.from({ length: count }, () => uuidv7());
  const handles = ids.map((_, i) => `${prefix}_${i}`);
  await service.dataSource.query(
    `INSERT INTO users (id, handle, name) SELECT id, handle, handle FROM unnest($1::uuid[], $2::text[]) AS u (id, handle)`,
    [ids, handles],
  );
  return ids;
}

export async function addFollows(service: TestService, follower: string, followees: string[]): Promise<void> {
  await service.dataSource.query(`INSERT INTO follows (follower_id, followee_id) SELECT $1, unnest($2::uuid[])`, [
    follower,
    followees,
  ]);
}

/** Posts at given seconds before now; equal seconds make ties. */
export async function addPosts(
  service: TestService,
  posts: { author: string; secondsAgo: number }[],
): Promise<string[]> {
  const ids = posts.map(({ author }) => inBucketOf(uuidv7(), author));
  await service.dataSource.query(
    `INSERT INTO posts (id, author_id, body, created_at)
     SELECT id, author, 'A post', date_trunc('second', now()) - ago * interval '1 second' FROM unnest($1::uuid[], $2::uuid[], $3::integer[]) AS p (id, author, ago)`,
    [ids, posts.map((post) => post.author), posts.map((post) => post.secondsAgo)],
  );
  return ids;
}

export async function addComments(
  service: TestService,
  comments: { post: string; author: string }[],
): Promise<string[]> {
  const ids = comments.map(({ post }) => inBucketOf(uuidv7(), post));
  await service.dataSource.query(
    `INSERT INTO comments (id, post_id, author_id, body) SELECT id, post, author, 'A comment' FROM unnest($1::uuid[], $2::uuid[], $3::uuid[]) AS c (id, post, author)`,
    [ids, comments.map((comment) => comment.post), comments.map((comment) => comment.author)],
  );
  return ids;
}

export async function addReactions(
  service: TestService,
  reactions: { post: string; user: string; kind: string }[],
): Promise<void> {
  await service.dataSource.query(
    `INSERT INTO reactions (post_id, user_id, kind) SELECT * FROM unnest($1::uuid[], $2::uuid[], $3::text[]) ON CONFLICT DO NOTHING`,
    [reactions.map(({ post }) => post), reactions.map(({ user }) => user), reactions.map(({ kind }) => kind)],
  );
}

/** The whole feed of a viewer by the plainest query there is. */
export async function plainFeed(
  service: TestService,
  viewer: string,
  order: 'recent' | 'score',
  own: boolean,
): Promise<string[]> {
  const rows = await service.dataSource.query<{ id: string }[]>(
    `SELECT p.id FROM posts p JOIN standings s ON s.post_id = p.id
     WHERE p.deleted_at IS NULL AND ((p.author_id IN (SELECT followee_id FROM follows WHERE follower_id = $1) AND p.author_id NOT IN (SELECT muted_id FROM mutes WHERE muter_id = $1)) OR ($2 AND p.author_id = $1))
     ORDER BY ${order === 'recent' ? 'p.created_at DESC, p.id DESC' : 's.lane_time DESC, p.id DESC'}`,
    [viewer, own],
  );
  return rows.map((row) => row.id);
}

/** A page of the feed as the API answers it. */
export interface FeedReply {
  items: {
    id: string;
    body: string;
    createdAt: string;
    laneTime: string;
    place?: { sentence: string; laneTime: string; lift: number };
  }[];
  next: string | null;
  first: string;
}

/** Reads a feed to its end over HTTP; `between` runs after each page. */
export async function scroll(
  service: TestService,
  as: string,
  query: string,
  between: (page: number) => Promise<void> = async () => undefined,
): Promise<{ ids: string[]; pages: FeedReply[] }> {
  const pages: FeedReply[] = [];
  let next: string | null = null;
  do {
    const reply: Reply<FeedReply> = await service.call<FeedReply>(
      'GET',
      `/v1/feeds/following?${query}${next ? `&after=${next}` : ''}`,
      {
        as,
      },
    );
    if (reply.status !== 200) throw new Error(`the feed answered ${reply.status}: ${JSON.stringify(reply.json)}`);
    pages.push(reply.json);
    next = reply.json.next;
    await between(pages.length);
  } while (next && pages.length < 500);
  return { ids: pages.flatMap((page) => page.items.map((item) => item.id)), pages };
}
