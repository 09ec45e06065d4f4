import type { DataCheck } from '../../ground/capability/data-check.js';
import { REPAIR_COMMENTS, REPAIR_POSTS, REPAIR_USERS } from './repair.js';

/** Recounts of reactions by kind. Cost: one pass over the table. */
const recountedReactions = (table: string, id: string) => `
  SELECT ${id} AS id, jsonb_object_agg(kind, n) AS reactions FROM (SELECT ${id}, kind, count(*)::integer AS n FROM ${table} GROUP BY ${id}, kind) k GROUP BY ${id}`;

/** Recounts of what comments have. Cost: one pass each over comments, comment_tallies and comment_reactions. */
const RECOUNTED_COMMENTS = `
  SELECT c.id, coalesce(c.under_id, c.post_id) AS place_id, c.deleted_at IS NULL AS in_sight, c.created_at,
    coalesce(r.replies, 0) AS replies, coalesce(b.below, 0) AS below, coalesce(p.people, 0) AS people
  FROM comments c
  LEFT JOIN (SELECT under_id, count(*)::integer AS replies FROM comments WHERE deleted_at IS NULL GROUP BY under_id) r ON r.under_id = c.id
  LEFT JOIN (SELECT place_id, count(*)::integer AS below FROM comment_tallies WHERE in_sight OR below > 0 GROUP BY place_id) b ON b.place_id = c.id
  LEFT JOIN (
    SELECT a.comment_id, count(DISTINCT a.user_id)::integer AS people FROM (
      SELECT under_id AS comment_id, author_id AS user_id FROM comments WHERE under_id IS NOT NULL AND deleted_at IS NULL
      UNION ALL SELECT comment_id, user_id FROM comment_reactions) a
    JOIN comments o ON o.id = a.comment_id AND o.author_id IS DISTINCT FROM a.user_id GROUP BY a.comment_id) p ON p.comment_id = c.id`;

/** Recounts of what posts have. Cost: one pass each over comments, post_tallies and reactions. */
const RECOUNTED_POSTS = `
  SELECT p.id, coalesce(c.comments, 0) AS comments, coalesce(c.people, 0) AS people, coalesce(r.reactions, '{}') AS reactions, o.kind AS author_reaction
  FROM posts p
  LEFT JOIN (${recountedReactions('reactions', 'post_id')}) r ON r.id = p.id
  LEFT JOIN reactions o ON o.post_id = p.id AND o.user_id = p.author_id
  LEFT JOIN (
    SELECT c.post_id, count(*)::integer AS comments, count(DISTINCT c.author_id) FILTER (WHERE c.author_id <> q.author_id)::integer AS people
    FROM comments c JOIN posts q ON q.id = c.post_id WHERE c.deleted_at IS NULL GROUP BY c.post_id) c ON c.post_id = p.id`;

/** Recounts of what users have. Cost: one pass over posts and two over follows. */
const RECOUNTED_USERS = `
  SELECT u.id, coalesce(p.n, 0) AS posts, coalesce(r.n, 0) AS followers, coalesce(g.n, 0) AS following
  FROM users u
  LEFT JOIN (SELECT author_id, count(*)::integer AS n FROM posts WHERE deleted_at IS NULL GROUP BY author_id) p ON p.author_id = u.id
  LEFT JOIN (SELECT followee_id, count(*)::integer AS n FROM follows GROUP BY followee_id) r ON r.followee_id = u.id
  LEFT JOIN (SELECT follower_id, count(*)::integer AS n FROM follows GROUP BY follower_id) g ON g.follower_id = u.id`;

/** Counts that are not what a recount gives. */
export const TALLY_CHECKS: readonly DataCheck[] = [
  {
    name: 'users-without-tally',
    means: 'a user has no row of counts',
    repair: REPAIR_USERS,
    sql: `SELECT u.id::text, 'none' AS found, 'a row' AS should FROM users u LEFT JOIN user_tallies t ON t.user_id = u.id WHERE t.user_id IS NULL`,
  },
  {
    name: 'posts-without-tally',
    means: 'a post has no row of counts',
    repair: REPAIR_POSTS,
    sql: `SELECT p.id::text, 'none' AS found, 'a row' AS should FROM posts p LEFT JOIN post_tallies t ON t.post_id = p.id WHERE t.post_id IS NULL`,
  },
  {
    name: 'user-tallies',
    means: 'the counts of a user are not what a recount gives (posts/followers/following)',
    repair: REPAIR_USERS,
    recounts: true,
    sql: `SELECT r.id::text, concat_ws('/', t.posts, t.followers, t.following) AS found, concat_ws('/', r.posts, r.followers, r.following) AS should
      FROM (${RECOUNTED_USERS}) r JOIN user_tallies t ON t.user_id = r.id
      WHERE (t.posts, t.followers, t.following) <> (r.posts, r.followers, r.following)`,
  },
  {
    name: 'post-tallies',
    means: 'the counts of a post are not what a recount gives (comments/people/reactions/the author’s own)',
    repair: REPAIR_POSTS,
    recounts: true,
    sql: `SELECT r.id::text, concat_ws('/', t.comments, t.comment_people, t.reactions, t.author_reaction) AS found, concat_ws('/', r.comments, r.people, r.reactions, r.author_reaction) AS should
      FROM (${RECOUNTED_POSTS}) r JOIN post_tallies t ON t.post_id = r.id
      WHERE (t.comments, t.comment_people, t.reactions, t.author_reaction) IS DISTINCT FROM (r.comments, r.people, r.reactions, r.author_reaction)`,
  },
  {
    name: 'comment-tallies',
    means: 'the counts of a comment are not what a recount gives',
    repair: REPAIR_COMMENTS,
    recounts: true,
    sql: `SELECT coalesce(t.comment_id, r.id)::text AS id, coalesce(t.reactions, '{}')::text AS found, coalesce(r.reactions, '{}')::text AS should
      FROM comment_tallies t FULL JOIN (${recountedReactions('comment_reactions', 'comment_id')}) r ON r.id = t.comment_id
      WHERE coalesce(t.reactions, '{}') <> coalesce(r.reactions, '{}')`,
  },
  {
    name: 'threads',
    means:
      'where a comment stands, or what is counted below it, is not what a recount gives (place/in sight/since/replies/below/people)',
    repair: REPAIR_COMMENTS,
    recounts: true,
    sql: `SELECT r.id::text, concat_ws('/', t.place_id, t.in_sight, t.created_at, t.replies, t.below, t.people) AS found,
        concat_ws('/', r.place_id, r.in_sight, r.created_at, r.replies, r.below, r.people) AS should
      FROM (${RECOUNTED_COMMENTS}) r LEFT JOIN comment_tallies t ON t.comment_id = r.id
      WHERE (t.place_id, t.in_sight, t.created_at, t.replies, t.below, t.people) IS DISTINCT FROM (r.place_id, r.in_sight, r.created_at, r.replies, r.below, r.people)`,
  },
  {
    name: 'commenters',
    means: 'how often somebody commented on a post is not what a recount gives',
    repair: REPAIR_POSTS,
    recounts: true,
    sql: `SELECT coalesce(n.post_id, r.post_id)::text AS id, coalesce(n.n, 0)::text AS found, coalesce(r.n, 0)::text AS should
      FROM post_commenters n
      FULL JOIN (SELECT post_id, author_id AS user_id, count(*)::integer AS n FROM comments WHERE deleted_at IS NULL GROUP BY post_id, author_id) r
        ON r.post_id = n.post_id AND r.user_id = n.user_id
      WHERE n.n IS DISTINCT FROM r.n`,
  },
];
