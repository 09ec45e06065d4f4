import type { DataCheck } from '../../ground/capability/data-check.js';

/** An act, in one text: as the checks name it and the repair takes it apart. */
const ACT = `d.thing_id || ' ' || d.actor_id || ' ' || d.user_id`;
/** Ends acts ($1) that are told for nothing. */
const END = `
  SELECT end_acts(array_agg(split_part(a, ' ', 1)::uuid), array_agg(split_part(a, ' ', 2)::uuid), array_agg(split_part(a, ' ', 3)::uuid))
  FROM unnest($1::text[]) AS x (a) HAVING count(*) > 0`;

const shown = (name: string, means: string, condition: string, found: string, should: string): DataCheck => ({
  name,
  means,
  repair: [END],
  recounts: true,
  sql: `SELECT ${ACT} AS id, ${found} AS found, '${should}' AS should
    FROM notification_acts d JOIN notifications n ON n.id = d.notification_id WHERE ${condition}`,
});

/** What is told, against the acts themselves. */
export const TELLING_CHECKS: readonly DataCheck[] = [
  shown(
    'told-without-act',
    'somebody is told of an act that is not there, or not in sight',
    `NOT CASE n.kind
      WHEN 'followed' THEN EXISTS (SELECT FROM follows f WHERE f.follower_id = d.actor_id AND f.followee_id = d.user_id)
      WHEN 'reacted' THEN EXISTS (SELECT FROM reactions r WHERE r.post_id = d.thing_id AND r.user_id = d.actor_id)
        OR EXISTS (SELECT FROM comment_reactions r WHERE r.comment_id = d.thing_id AND r.user_id = d.actor_id)
      ELSE EXISTS (SELECT FROM comments c WHERE c.id = d.thing_id AND c.author_id = d.actor_id AND c.deleted_at IS NULL)
        OR n.kind = 'mentioned' AND EXISTS (SELECT FROM posts p WHERE p.id = d.thing_id AND p.author_id = d.actor_id) END
      OR n.post_id IS NOT NULL AND NOT EXISTS (SELECT FROM posts p WHERE p.id = n.post_id AND p.deleted_at IS NULL)`,
    'n.kind',
    'an act that is in sight',
  ),
  shown(
    'mentions-told-of-nobody',
    'somebody is told that a text mentions them, which does not',
    `n.kind = 'mentioned' AND NOT EXISTS (SELECT FROM comment_mentions m WHERE m.comment_id = d.thing_id AND m.user_id = d.user_id)
      AND NOT EXISTS (SELECT FROM post_mentions m WHERE m.post_id = d.thing_id AND m.user_id = d.user_id)`,
    `'mentioned'`,
    'a mention',
  ),
  shown(
    'told-to-others',
    'somebody is told of what is not theirs to hear: of their own act, or of one on what is not theirs',
    `d.actor_id = d.user_id OR d.user_id <> n.user_id OR CASE
      WHEN n.kind = 'followed' THEN n.target_id <> n.user_id
      WHEN n.kind = 'commented' THEN NOT EXISTS (SELECT FROM posts p WHERE p.id = n.target_id AND p.author_id = n.user_id)
      WHEN n.kind = 'replied' THEN NOT EXISTS (SELECT FROM comments c WHERE c.id = n.target_id AND c.author_id = n.user_id)
      WHEN n.kind = 'reacted' THEN NOT EXISTS (SELECT FROM posts p WHERE p.id = n.target_id AND p.author_id = n.user_id)
        AND NOT EXISTS (SELECT FROM comments c WHERE c.id = n.target_id AND c.author_id = n.user_id)
      WHEN n.kind = 'watched' THEN NOT EXISTS (SELECT FROM post_watches w WHERE w.post_id = n.target_id AND w.user_id = n.user_id)
      ELSE false END`,
    'n.kind',
    'told to whom it concerns',
  ),
  shown(
    'told-across-blocks',
    'somebody is told of an act by, or on a post of, somebody who blocks them or whom they block',
    `EXISTS (SELECT FROM blocks b WHERE (b.blocker_id, b.blocked_id) IN ((d.actor_id, d.user_id), (d.user_id, d.actor_id)))
      OR EXISTS (SELECT FROM posts p JOIN blocks b ON (b.blocker_id, b.blocked_id) IN ((p.author_id, d.user_id), (d.user_id, p.author_id)) WHERE p.id = n.post_id)`,
    'n.kind',
    'nothing beside a block',
  ),
  {
    name: 'notifications-of-nothing',
    means: 'a notification has no act in it',
    repair: [`DELETE FROM notifications WHERE id = ANY ($1::uuid[])`],
    recounts: true,
    sql: `SELECT n.id::text, 'no act' AS found, 'at least one' AS should FROM notifications n
      WHERE NOT EXISTS (SELECT FROM notification_acts d WHERE d.notification_id = n.id)`,
  },
  {
    name: 'acts-in-no-notification',
    means: 'an act is said to show in a notification that is not there',
    repair: [END],
    recounts: true,
    sql: `SELECT ${ACT} AS id, d.notification_id::text AS found, 'a notification, or none' AS should FROM notification_acts d
      WHERE d.notification_id IS NOT NULL AND NOT EXISTS (SELECT FROM notifications n WHERE n.id = d.notification_id)`,
  },
  {
    name: 'acts-by-nobody',
    means: 'it is remembered that somebody was told of an act by a user who is not there',
    repair: [
      `DELETE FROM notification_acts d USING unnest($1::text[]) AS a (id) WHERE d.thing_id::text || ' ' || d.actor_id || ' ' || d.user_id = a.id`,
    ],
    recounts: true,
    sql: `SELECT ${ACT} AS id, d.actor_id::text AS found, 'a user' AS should FROM notification_acts d
      WHERE NOT EXISTS (SELECT FROM users u WHERE u.id = d.actor_id)`,
  },
];
