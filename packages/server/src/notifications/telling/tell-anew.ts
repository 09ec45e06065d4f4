import type { EntityManager } from 'typeorm';

/** Whoever commented watches the post since. Cost: one pass over the comments of the time. */
const WATCH = `
  INSERT INTO post_watches (post_id, user_id, created_at)
  SELECT c.post_id, c.author_id, min(c.created_at) FROM comments c
  WHERE c.deleted_at IS NULL AND c.author_id IS NOT NULL AND c.created_at > $1 GROUP BY c.post_id, c.author_id
  ON CONFLICT DO NOTHING`;

/** Acts of the time with those whom they concern, the preferred kind first: the law of `toldOfComment` and its like, over rows. */
const CONCERNED = `
  SELECT c.id AS thing_id, c.author_id AS actor_id, m.user_id, 'mentioned' AS kind, c.id AS target_id, c.post_id, c.created_at AS at, 1 AS n
    FROM comments c JOIN comment_mentions m ON m.comment_id = c.id WHERE c.created_at > $1 AND c.deleted_at IS NULL
  UNION ALL SELECT c.id, c.author_id, q.author_id, 'replied', q.id, c.post_id, c.created_at, 2
    FROM comments c JOIN comments q ON q.id = c.parent_id AND q.deleted_at IS NULL WHERE c.created_at > $1 AND c.deleted_at IS NULL
  UNION ALL SELECT c.id, c.author_id, p.author_id, 'commented', p.id, p.id, c.created_at, 3
    FROM comments c JOIN posts p ON p.id = c.post_id WHERE c.created_at > $1 AND c.deleted_at IS NULL
  UNION ALL SELECT c.id, c.author_id, w.user_id, 'watched', c.post_id, c.post_id, c.created_at, 4
    FROM comments c JOIN post_watches w ON w.post_id = c.post_id AND w.watching AND w.created_at < c.created_at WHERE c.created_at > $1 AND c.deleted_at IS NULL
  UNION ALL SELECT p.id, p.author_id, m.user_id, 'mentioned', p.id, p.id, p.created_at, 1
    FROM posts p JOIN post_mentions m ON m.post_id = p.id WHERE p.created_at > $1
  UNION ALL SELECT r.post_id, r.user_id, p.author_id, 'reacted', p.id, p.id, r.created_at, 1
    FROM reactions r JOIN posts p ON p.id = r.post_id WHERE r.created_at > $1
  UNION ALL SELECT r.comment_id, r.user_id, c.author_id, 'reacted', c.id, c.post_id, r.created_at, 1
    FROM comment_reactions r JOIN comments c ON c.id = r.comment_id AND c.deleted_at IS NULL WHERE r.created_at > $1
  UNION ALL SELECT f.followee_id, f.follower_id, f.followee_id, 'followed', f.followee_id, NULL, f.created_at, 1 FROM follows f WHERE f.created_at > $1`;

/**
 * Tells of the acts since an instant ($1), which were loaded as rows; those of before another ($2) were seen. One statement over all rows, where telling goes by the act. Cost: one pass over the acts
 * of the time, and some probes for each.
 */
const TELL = `
  WITH welcome AS MATERIALIZED (
    SELECT DISTINCT ON (a.thing_id, a.actor_id, a.user_id) a.*, a.at < $2 AS seen
    FROM (${CONCERNED}) a
    JOIN users u ON u.id = a.user_id AND u.erased_at IS NULL
    JOIN users w ON w.id = a.actor_id AND w.erased_at IS NULL
    LEFT JOIN posts p ON p.id = a.post_id
    LEFT JOIN users o ON o.id = p.author_id
    WHERE a.actor_id <> a.user_id AND (a.post_id IS NULL OR p.deleted_at IS NULL AND o.erased_at IS NULL)
      AND NOT EXISTS (SELECT FROM mutes m WHERE (m.muter_id, m.muted_id) IN ((a.user_id, a.actor_id), (a.actor_id, a.user_id)))
      AND NOT EXISTS (SELECT FROM blocks b WHERE (b.blocker_id, b.blocked_id) IN ((a.user_id, a.actor_id), (a.actor_id, a.user_id)))
      AND NOT EXISTS (SELECT FROM blocks b WHERE (b.blocker_id, b.blocked_id) IN ((a.user_id, p.author_id), (p.author_id, a.user_id)))
      AND NOT EXISTS (SELECT FROM notification_choices c WHERE c.user_id = a.user_id AND a.kind = ANY (c.switched_off))
      AND NOT EXISTS (SELECT FROM notification_acts d WHERE d.thing_id = a.thing_id AND d.actor_id = a.actor_id AND d.user_id = a.user_id)
    ORDER BY a.thing_id, a.actor_id, a.user_id, a.n
  ), made AS (
    INSERT INTO notifications AS n (id, user_id, kind, target_id, post_id, seen, last_at)
    SELECT new_uuid7(), user_id, kind, target_id, post_id, seen, max(at) FROM welcome GROUP BY user_id, kind, target_id, post_id, seen
    ON CONFLICT DO NOTHING RETURNING n.id, n.user_id, n.kind, n.target_id, n.seen
  )
  INSERT INTO notification_acts (thing_id, actor_id, user_id, notification_id, at)
  SELECT w.thing_id, w.actor_id, w.user_id, m.id, w.at
  FROM welcome w JOIN made m ON m.user_id = w.user_id AND m.kind = w.kind AND m.target_id = w.target_id AND m.seen = w.seen
  ON CONFLICT DO NOTHING`;

/** The tables that it fills. */
export const TOLD = ['notifications', 'notification_acts', 'post_watches'];

/**
 * Tells of acts that were loaded as rows, as though each had been told when it was done.
 * The planner has to know what is there by then: a plan for tables that it takes for empty is twenty times as slow.
 * @param since acts of before are told to nobody
 * @param seenUntil what was told before then has been looked at
 */
export async function tellAnew(manager: Pick<EntityManager, 'query'>, since: Date, seenUntil: Date): Promise<void> {
  await manager.query(WATCH, [since.toISOString()]);
  await manager.query(TELL, [since.toISOString(), seenUntil.toISOString()]);
}
