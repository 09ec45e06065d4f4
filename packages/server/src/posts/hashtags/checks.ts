import type { DataCheck } from '../../ground/capability/data-check.js';

/** The hashtags that posts in sight name. Cost: one pass over posts. */
const BY_SPANS = `
  SELECT DISTINCT p.id AS post_id, h.id AS hashtag_id, p.author_id, p.created_at, s ->> 5 AS name
  FROM posts p CROSS JOIN LATERAL jsonb_array_elements(p.spans) s LEFT JOIN hashtags h ON h.name = s ->> 5
  WHERE p.deleted_at IS NULL AND s ->> 0 = 'h'`;

/** Derives the counts of hashtags ($1) anew. */
const RECOUNT: readonly string[] = [
  `SELECT FROM hashtags WHERE id = ANY ($1::bigint[]) ORDER BY id FOR NO KEY UPDATE`,
  `DELETE FROM hashtag_people WHERE hashtag_id = ANY ($1::bigint[])`,
  `INSERT INTO hashtag_people (hashtag_id, user_id, n)
   SELECT hashtag_id, author_id, count(*) FROM post_hashtags WHERE hashtag_id = ANY ($1::bigint[]) GROUP BY hashtag_id, author_id`,
  `UPDATE hashtags h SET posts = coalesce((SELECT sum(n) FROM hashtag_people p WHERE p.hashtag_id = h.id), 0),
     people = (SELECT count(*) FROM hashtag_people p WHERE p.hashtag_id = h.id) WHERE h.id = ANY ($1::bigint[])`,
];

/** What gathers posts under words, against what the posts name. */
export const HASHTAG_CHECKS: readonly DataCheck[] = [
  {
    name: 'post-hashtags',
    means: 'the hashtags that a post gathers under are not what it names',
    // The posts are held first, as an edit holds them: what they name is read once.
    repair: [`SELECT FROM posts WHERE id = ANY ($1) ORDER BY id FOR NO KEY UPDATE`, `SELECT set_hashtags($1)`],
    recounts: true,
    sql: `SELECT coalesce(g.post_id, s.post_id)::text AS id, concat_ws('/', g.hashtag_id, g.author_id, g.created_at) AS found,
        concat_ws('/', s.name, s.hashtag_id, s.author_id, s.created_at) AS should
      FROM post_hashtags g FULL JOIN (${BY_SPANS}) s ON s.post_id = g.post_id AND s.hashtag_id = g.hashtag_id
      WHERE (g.hashtag_id, g.author_id, g.created_at) IS DISTINCT FROM (s.hashtag_id, s.author_id, s.created_at) OR s.hashtag_id IS NULL`,
  },
  {
    name: 'hashtag-tallies',
    means: 'the counts of a hashtag are not what a recount gives (posts/people)',
    repair: RECOUNT,
    recounts: true,
    sql: `SELECT h.id::text, concat_ws('/', h.posts, h.people) AS found, concat_ws('/', coalesce(r.posts, 0), coalesce(r.people, 0)) AS should
      FROM hashtags h
      LEFT JOIN (SELECT hashtag_id, count(*)::integer AS posts, count(DISTINCT author_id)::integer AS people FROM post_hashtags GROUP BY hashtag_id) r
        ON r.hashtag_id = h.id
      WHERE (h.posts, h.people) <> (coalesce(r.posts, 0), coalesce(r.people, 0))`,
  },
];
