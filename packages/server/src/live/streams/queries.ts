import { seenBy } from '../../accounts/users/visibility.js';

/** Which of these sessions ($1) have ended, or of these users ($2) are gone. Cost: two primary-key probes for each. */
export const ENDED = `
  SELECT i.session_id, i.user_id FROM unnest($1::uuid[], $2::uuid[]) AS i (session_id, user_id)
  WHERE NOT EXISTS (SELECT FROM users u WHERE u.id = i.user_id AND u.erased_at IS NULL)
    OR i.session_id IS NOT NULL AND NOT EXISTS (
      SELECT FROM sessions s WHERE s.id = i.session_id AND s.ended_at IS NULL AND s.expires_at > clock_timestamp())`;

/** What is counted of posts ($2), for those of their viewers ($1) who may see them. Cost: some primary-key probes for each pair. */
export const TALLIES = `
  SELECT i.user_id, t.post_id, t.comments, t.reactions, w.weights
  FROM unnest($1::uuid[], $2::uuid[]) AS i (user_id, post_id) JOIN weightings w ON w.in_force
  JOIN posts p ON p.id = i.post_id AND p.deleted_at IS NULL JOIN users a ON a.id = p.author_id JOIN post_tallies t ON t.post_id = p.id
  WHERE ${seenBy('a', 'i.user_id')}`;

/** A row of that statement. */
export interface TalliesRow {
  readonly user_id: string;
  readonly post_id: string;
  readonly comments: number;
  readonly reactions: Record<string, number>;
  readonly weights: Record<string, number>;
}

/** Which of these users ($1) follow, or are, the authors ($2) of something, or of these posts ($3). Cost: a probe for each pair of them. */
export const CONCERNED = `
  WITH authors AS MATERIALIZED (
    SELECT DISTINCT id FROM (SELECT unnest($2::uuid[]) AS id UNION ALL SELECT author_id FROM posts WHERE id = ANY ($3::uuid[])) a
  )
  SELECT v.id FROM unnest($1::uuid[]) AS v (id)
  WHERE v.id IN (SELECT id FROM authors) OR EXISTS (SELECT FROM authors a JOIN follows f ON f.follower_id = v.id AND f.followee_id = a.id)`;
