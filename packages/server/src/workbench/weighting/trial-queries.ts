import { AUTHORS } from '../../feed/index.js';
import { COUNT_COLUMNS, type CountColumns } from '../../ranking/tallies/counts.js';
import { seenBy } from '../../accounts/users/visibility.js';

const COLUMNS = `p.id, p.author_id, u.handle, left(p.body, 160) AS text, p.created_at, ${COUNT_COLUMNS}`;

/** A post that may be in a viewer's feed. */
export interface CandidateRow extends CountColumns {
  readonly id: string;
  readonly author_id: string;
  readonly handle: string;
  readonly text: string;
  readonly created_at: Date;
}

/** Posts ($2) by id, as far as the viewer ($1) may see them. Cost: three primary-key probes for each. */
export const CANDIDATES_BY_ID = `
  SELECT ${COLUMNS} FROM posts p JOIN post_tallies t ON t.post_id = p.id JOIN users u ON u.id = p.author_id
  WHERE p.id = ANY ($2::uuid[]) AND p.deleted_at IS NULL AND ${seenBy('u', '$1')}`;

/**
 * The posts of a viewer's feed ($1, own posts as $2 says) that would stand highest by other numbers ($3 half-life, $4 base, $5 weights):
 * at most $8, none made before $6 and none below $7. The SQL law only chooses them; core places them. Cost: the posts of the
 * feed's authors since $6.
 */
export const CANDIDATES_BY_LAW = `
  SELECT ${COLUMNS}
  FROM (${AUTHORS}) a
  JOIN posts p ON p.author_id = a.id AND p.deleted_at IS NULL AND p.created_at >= $6::timestamptz
  JOIN post_tallies t ON t.post_id = p.id
  JOIN users u ON u.id = p.author_id
  CROSS JOIN LATERAL pull($5::jsonb, t.comment_people, t.reactions, t.author_reaction) k
  CROSS JOIN LATERAL (SELECT lane_time(p.created_at, $3::bigint, $4::bigint, k.carrying, k.holding)::timestamptz(3) AS lane_time) l
  WHERE l.lane_time >= $7::timestamptz AND ${seenBy('u', '$1')}
  ORDER BY l.lane_time DESC, p.id DESC LIMIT $8`;

/** How many users there are, and how many authors a viewer's feed has. Cost: one pass over the keys of user_tallies. */
export const FEED_SIZE = `
  SELECT (SELECT count(*) FROM user_tallies)::integer AS everybody, (SELECT count(*) FROM (${AUTHORS}) a)::integer AS authors`;

/** Viewers who follow somebody, always the same ones for the same data. Cost: one pass over user_tallies. */
export const SAMPLE_VIEWERS = `
  SELECT user_id AS id FROM user_tallies WHERE following > 0 ORDER BY hashtextextended(user_id::text, 7), user_id LIMIT $1`;
