import { standingsBy } from '../../ranking/weighting/standings.js';

/** Something that should never be found in the data. */
export interface DataCheck {
  /** Short and unique; what `--json` calls it. */
  readonly name: string;
  /** What it means when there are findings. */
  readonly means: string;
  /** Yields a row for each finding: `id` (text), `found` and `should` (text). */
  readonly sql: string;
  /** What `--repair` mends, if it can: the ids are then posts', comments' or users'. */
  readonly repairs?: 'post' | 'comment' | 'user' | 'versions';
  /** Tells the findings among the rows that the statement yields, where SQL cannot. */
  readonly wrong?: (found: string) => boolean;
}

/** Recounts of reactions by kind. Cost: one pass over the table. */
const recountedReactions = (table: string, id: string) => `
  SELECT ${id} AS id, jsonb_object_agg(kind, n) AS reactions FROM (SELECT ${id}, kind, count(*)::integer AS n FROM ${table} GROUP BY ${id}, kind) k GROUP BY ${id}`;

/** Recounts of what posts have. Cost: one pass each over comments_conversation, post_tallies and reactions. */
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

/** Where each visible post should stand, by its tally and the weighting in force. */
const SHOULD_STAND = standingsBy('w.in_force', 'true');

const orphans = (table: string, column: string, parent: string): DataCheck => ({
  name: `${table}-without-${column.replace(/_id$/, '')}`,
  means: `rows of ${table} whose ${column} names no row of ${parent}`,
  sql: `SELECT t.${column}::text AS id, 'no such row' AS found, 'a row of ${parent}' AS should FROM ${table} t LEFT JOIN ${parent} p ON p.id = t.${column} WHERE t.${column} IS NOT NULL AND p.id IS NULL`,
});

/** Everything that is looked for, cheap things first. */
export const DATA_CHECKS: readonly DataCheck[] = [
  {
    name: 'self-follows',
    means: 'somebody follows themselves',
    sql: `SELECT follower_id::text AS id, 'follows themselves' AS found, 'nobody does' AS should FROM follows WHERE follower_id = followee_id`,
  },
  {
    name: 'posts-of-the-future',
    means: 'a post was made in the future, and would stand above all others until then',
    sql: `SELECT id::text, created_at::text AS found, 'not after now' AS should FROM posts WHERE created_at > clock_timestamp() + interval '1 minute'`,
  },
  {
    name: 'answers-across-posts',
    means: 'a comment answers a comment of another post',
    sql: `SELECT c.id::text, p.post_id::text AS found, c.post_id::text AS should FROM comments c JOIN comments p ON p.id = c.parent_id WHERE p.post_id <> c.post_id`,
  },
  orphans('posts', 'author_id', 'users'),
  orphans('comments', 'post_id', 'posts'),
  orphans('comments', 'author_id', 'users'),
  orphans('comments', 'parent_id', 'comments'),
  orphans('follows', 'follower_id', 'users'),
  orphans('follows', 'followee_id', 'users'),
  ...(
    [
      ['mutes', 'muter_id'],
      ['mutes', 'muted_id'],
      ['blocks', 'blocker_id'],
      ['blocks', 'blocked_id'],
      ['moderations', 'moderator_id'],
      ['refused_attempts', 'user_id'],
      ['identities', 'user_id'],
      ['erasures', 'user_id'],
      ['uploads', 'user_id'],
      ['repeatable_calls', 'user_id'],
      ['reactions', 'user_id'],
      ['comment_reactions', 'user_id'],
    ] as const
  ).map(([table, column]) => orphans(table, column, 'users')),
  orphans('uploads', 'blob_id', 'blobs'),
  orphans('users', 'picture_id', 'uploads'),
  orphans('post_pictures', 'post_id', 'posts'),
  orphans('post_pictures', 'upload_id', 'uploads'),
  orphans('post_versions', 'post_id', 'posts'),
  {
    name: 'pictures-of-others',
    means: 'a post shows a picture that somebody else uploaded',
    sql: `SELECT p.id::text, u.user_id::text AS found, p.author_id::text AS should FROM post_pictures t JOIN posts p ON p.id = t.post_id JOIN uploads u ON u.id = t.upload_id WHERE u.user_id <> p.author_id`,
  },
  {
    name: 'posts-of-nothing',
    means: 'a post has neither text nor pictures',
    sql: `SELECT p.id::text, 'nothing' AS found, 'text or pictures' AS should FROM posts p WHERE p.body = '' AND NOT EXISTS (SELECT FROM post_pictures t WHERE t.post_id = p.id)`,
  },
  orphans('reactions', 'post_id', 'posts'),
  orphans('comment_reactions', 'comment_id', 'comments'),
  orphans('comment_tallies', 'comment_id', 'comments'),
  orphans('moderations', 'post_id', 'posts'),
  orphans('moderations', 'comment_id', 'comments'),
  {
    name: 'follows-across-blocks',
    means: 'somebody follows whom they block, or who blocks them',
    sql: `SELECT f.follower_id::text AS id, f.followee_id::text AS found, 'no follow beside a block' AS should FROM follows f
      WHERE EXISTS (SELECT FROM blocks b WHERE (b.blocker_id, b.blocked_id) IN ((f.follower_id, f.followee_id), (f.followee_id, f.follower_id)))`,
  },
  {
    name: 'erased-users-with-credentials',
    means: 'a deleted account can still sign in',
    sql: `SELECT u.id::text, 'a credential' AS found, 'none' AS should FROM users u JOIN credentials c ON c.user_id = u.id WHERE u.erased_at IS NOT NULL`,
  },
  {
    name: 'versions-ahead',
    means: 'what a post said before is kept under the number of what it says now, so no edit of it succeeds',
    repairs: 'versions',
    sql: `SELECT p.id::text, max(v.version)::text AS found, 'below ' || p.version AS should
      FROM post_versions v JOIN posts p ON p.id = v.post_id WHERE v.version >= p.version GROUP BY p.id`,
  },
  {
    name: 'picture-links',
    means: 'the address of a picture elsewhere is none',
    sql: `SELECT id::text, left(picture_link, 80) AS found, 'an address in ASCII' AS should FROM users WHERE picture_link !~ '^https?://[!-~]+$'`,
  },
  orphans('sessions', 'user_id', 'users'),
  orphans('refresh_tokens', 'session_id', 'sessions'),
  orphans('credentials', 'user_id', 'users'),
  {
    name: 'users-without-tally',
    means: 'a user has no row of counts',
    repairs: 'user',
    sql: `SELECT u.id::text, 'none' AS found, 'a row' AS should FROM users u LEFT JOIN user_tallies t ON t.user_id = u.id WHERE t.user_id IS NULL`,
  },
  {
    name: 'posts-without-tally',
    means: 'a post has no row of counts',
    repairs: 'post',
    sql: `SELECT p.id::text, 'none' AS found, 'a row' AS should FROM posts p LEFT JOIN post_tallies t ON t.post_id = p.id WHERE t.post_id IS NULL`,
  },
  {
    name: 'user-tallies',
    means: 'the counts of a user are not what a recount gives (posts/followers/following)',
    repairs: 'user',
    sql: `SELECT r.id::text, concat_ws('/', t.posts, t.followers, t.following) AS found, concat_ws('/', r.posts, r.followers, r.following) AS should
      FROM (${RECOUNTED_USERS}) r JOIN user_tallies t ON t.user_id = r.id
      WHERE (t.posts, t.followers, t.following) <> (r.posts, r.followers, r.following)`,
  },
  {
    name: 'post-tallies',
    means: 'the counts of a post are not what a recount gives (comments/people/reactions/the author’s own)',
    repairs: 'post',
    sql: `SELECT r.id::text, concat_ws('/', t.comments, t.comment_people, t.reactions, t.author_reaction) AS found, concat_ws('/', r.comments, r.people, r.reactions, r.author_reaction) AS should
      FROM (${RECOUNTED_POSTS}) r JOIN post_tallies t ON t.post_id = r.id
      WHERE (t.comments, t.comment_people, t.reactions, t.author_reaction) IS DISTINCT FROM (r.comments, r.people, r.reactions, r.author_reaction)`,
  },
  {
    name: 'comment-tallies',
    means: 'the counts of a comment are not what a recount gives',
    repairs: 'comment',
    sql: `SELECT coalesce(t.comment_id, r.id)::text AS id, coalesce(t.reactions, '{}')::text AS found, coalesce(r.reactions, '{}')::text AS should
      FROM comment_tallies t FULL JOIN (${recountedReactions('comment_reactions', 'comment_id')}) r ON r.id = t.comment_id
      WHERE coalesce(t.reactions, '{}') <> coalesce(r.reactions, '{}')`,
  },
  {
    name: 'commenters',
    means: 'how often somebody commented on a post is not what a recount gives',
    repairs: 'post',
    sql: `SELECT coalesce(n.post_id, r.post_id)::text AS id, coalesce(n.n, 0)::text AS found, coalesce(r.n, 0)::text AS should
      FROM post_commenters n
      FULL JOIN (SELECT post_id, author_id AS user_id, count(*)::integer AS n FROM comments WHERE deleted_at IS NULL GROUP BY post_id, author_id) r
        ON r.post_id = n.post_id AND r.user_id = n.user_id
      WHERE n.n IS DISTINCT FROM r.n`,
  },
  {
    name: 'standings-missing',
    means: 'a visible post stands nowhere, so no score-ordered feed holds it',
    repairs: 'post',
    sql: `SELECT d.post_id::text AS id, 'none' AS found, d.lane_time::text AS should FROM (${SHOULD_STAND}) d LEFT JOIN standings s ON s.post_id = d.post_id WHERE s.post_id IS NULL`,
  },
  {
    name: 'standings-left-over',
    means: 'a post that is not visible still stands',
    repairs: 'post',
    sql: `SELECT s.post_id::text AS id, s.lane_time::text AS found, 'none' AS should FROM standings s LEFT JOIN posts p ON p.id = s.post_id AND p.deleted_at IS NULL WHERE p.id IS NULL`,
  },
  {
    name: 'standings-wrong',
    means: 'a post does not stand at its lane time by the weighting in force, or under another author',
    repairs: 'post',
    sql: `SELECT d.post_id::text AS id, s.lane_time::text AS found, d.lane_time::text AS should FROM (${SHOULD_STAND}) d JOIN standings s ON s.post_id = d.post_id
      WHERE (s.lane_time, s.author_id) <> (d.lane_time, d.author_id)`,
  },
];
