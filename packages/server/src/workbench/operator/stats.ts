import type { DataSource } from 'typeorm';
import { readingUnderWay } from '../../posts/reading/back-fill.js';
import { toWeighting, WEIGHTING_COLUMNS, type WeightingColumns } from '../../ranking/weighting/in-force.js';

/**
 * Exact counts, from the tallies where there are some. Cost: one pass over user_tallies and post_tallies,
 * narrow tables both; and over the last thirty days of posts_recent.
 */
const COUNTS = `
  SELECT u.users, u.posts, u.follows, p.comments, ${WEIGHTING_COLUMNS}
  FROM (SELECT count(*)::integer AS users, coalesce(sum(posts), 0)::integer AS posts, coalesce(sum(following), 0)::integer AS follows FROM user_tallies) u,
       (SELECT coalesce(sum(t.comments), 0)::integer AS comments FROM post_tallies t JOIN posts ON posts.id = t.post_id AND posts.deleted_at IS NULL) p,
       weightings w
  WHERE w.in_force`;

const PER_DAY = `
  SELECT to_char(d.day, 'YYYY-MM-DD') AS day, count(p.id)::integer AS posts
  FROM generate_series(date_trunc('day', now()) - interval '29 days', date_trunc('day', now()), interval '1 day') AS d (day)
  LEFT JOIN posts p ON p.deleted_at IS NULL AND p.created_at >= d.day AND p.created_at < d.day + interval '1 day'
  GROUP BY d.day ORDER BY d.day`;

const WIDELY_FOLLOWED = `
  SELECT u.id, u.handle, u.name, t.followers, t.posts
  FROM user_tallies t JOIN users u ON u.id = t.user_id
  WHERE t.followers > 0 ORDER BY t.followers DESC, u.handle LIMIT 5`;

/** What the console's Overview shows. */
export async function readStats(dataSource: DataSource) {
  const [counts] =
    await dataSource.query<({ users: number; posts: number; follows: number; comments: number } & WeightingColumns)[]>(
      COUNTS,
    );
  const postsPerDay = await dataSource.query<{ day: string; posts: number }[]>(PER_DAY);
  const widelyFollowed =
    await dataSource.query<{ id: string; handle: string; name: string; followers: number; posts: number }[]>(
      WIDELY_FOLLOWED,
    );
  const [{ version }] = await dataSource.query<[{ version: string }]>(
    `SELECT current_setting('server_version') AS version`,
  );
  const { users, posts, follows, comments } = counts!;
  const { id, halfLifeMs, base, weights } = toWeighting(counts!);
  const inUnits = Object.fromEntries(Object.entries(weights).map(([kind, weight]) => [kind, weight / 1000]));
  return {
    counts: { users, posts, follows, comments },
    weighting: { id, halfLifeMs, base: base / 1000, weights: inUnits },
    postsPerDay,
    widelyFollowed,
    database: { version },
    reading: await readingUnderWay(dataSource),
  };
}
