/**
 * Repairs derive counts and standings again. Each batch takes the tally rows first, in id order, as every writer
 * does, so the recount sees whatever was committed and nothing slips in between. Readers are never blocked.
 */

/** Derives the tallies, commenters and standings of posts ($1) again. */
export const REPAIR_POSTS: readonly string[] = [
  `INSERT INTO post_tallies (post_id) SELECT id FROM posts WHERE id = ANY ($1) ON CONFLICT DO NOTHING`,
  `SELECT FROM post_tallies WHERE post_id = ANY ($1) ORDER BY post_id FOR NO KEY UPDATE`,
  `DELETE FROM post_commenters WHERE post_id = ANY ($1)`,
  `INSERT INTO post_commenters (post_id, user_id, n)
   SELECT post_id, author_id, count(*) FROM comments WHERE post_id = ANY ($1) AND deleted_at IS NULL GROUP BY post_id, author_id`,
  `UPDATE post_tallies t SET comments = r.comments, comment_people = r.people
   FROM (SELECT p.id, coalesce(sum(c.n), 0)::integer AS comments, count(c.user_id) FILTER (WHERE c.user_id <> p.author_id)::integer AS people
         FROM posts p LEFT JOIN post_commenters c ON c.post_id = p.id WHERE p.id = ANY ($1) GROUP BY p.id) r
   WHERE t.post_id = r.id`,
  `UPDATE post_tallies t SET reactions = coalesce((SELECT jsonb_object_agg(kind, n) FROM (SELECT kind, count(*) AS n FROM reactions r WHERE r.post_id = t.post_id GROUP BY kind) k), '{}'),
     author_reaction = (SELECT r.kind FROM reactions r JOIN posts p ON p.id = r.post_id AND p.author_id = r.user_id WHERE r.post_id = t.post_id)
   WHERE t.post_id = ANY ($1)`,
  `SELECT set_standings($1)`,
];

/** Derives the tallies of comments ($1), and of all others below the same posts, again. */
export const REPAIR_COMMENTS: readonly string[] = [
  `SELECT recount_threads(coalesce(array_agg(DISTINCT post_id), '{}')) FROM comments WHERE id = ANY ($1)`,
];

/** Derives the tallies of users ($1) again. */
export const REPAIR_USERS: readonly string[] = [
  `INSERT INTO user_tallies (user_id) SELECT id FROM users WHERE id = ANY ($1) ON CONFLICT DO NOTHING`,
  `SELECT FROM user_tallies WHERE user_id = ANY ($1) ORDER BY user_id FOR NO KEY UPDATE`,
  `UPDATE user_tallies t SET
     posts = (SELECT count(*) FROM posts WHERE author_id = t.user_id AND deleted_at IS NULL),
     followers = (SELECT count(*) FROM follows WHERE followee_id = t.user_id),
     following = (SELECT count(*) FROM follows WHERE follower_id = t.user_id)
   WHERE t.user_id = ANY ($1)`,
];
