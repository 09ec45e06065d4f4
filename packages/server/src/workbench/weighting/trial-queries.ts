import { AUTHORS } from '../../feed/index.js';
import { COUNT_COLUMNS, type CountColumns } from '../../ranking/tallies/counts.js';
import { perChoice } from '../../ground/database/prepared.js';
import { standingsTable } from '../../ranking/weighting/standings.js';
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

/** Which posts of an author `a` may stand high enough: by when they were made, by where they stand in force, or both. */
export type Looked = 'made' | 'stands' | 'either';

const MADE = `SELECT p.id FROM posts p WHERE p.author_id = a.id AND p.deleted_at IS NULL AND p.created_at >= $6::timestamptz`;
const stands = (weighting: number) =>
  `SELECT s.post_id AS id FROM ${standingsTable(weighting)} s WHERE s.author_id = a.id AND s.lane_time >= $6::timestamptz`;
const looked: Record<Looked, (weighting: number) => string> = {
  made: () => MADE,
  stands,
  either: (weighting) => `${MADE} UNION ${stands(weighting)}`,
};

/**
 * The posts of a viewer's feed ($1, own posts as $2 says) that would stand highest by other numbers ($3 half-life, $4 base, $5 weights):
 * at most $8, of those from $6 on and none below $7. The SQL law only chooses them; core places them. Cost: a probe for each author of
 * the feed, and three for each post of theirs from $6 on.
 */
export const candidatesByLaw = perChoice(
  (by: Looked, weighting: number): string => `
  SELECT ${COLUMNS}
  FROM (${AUTHORS}) a
  -- OFFSET 0: each author by their index; as a join it may become one with all posts that there are.
  CROSS JOIN LATERAL (SELECT * FROM (${looked[by](weighting)}) c OFFSET 0) c
  JOIN posts p ON p.id = c.id AND p.deleted_at IS NULL
  JOIN post_tallies t ON t.post_id = p.id
  JOIN users u ON u.id = p.author_id
  CROSS JOIN LATERAL pull($5::jsonb, t.comment_people, t.reactions, t.author_reaction) k
  CROSS JOIN LATERAL (SELECT lane_time(p.created_at, $3::bigint, $4::bigint, k.carrying, k.holding)::timestamptz(3) AS lane_time) l
  WHERE l.lane_time >= $7::timestamptz AND ${seenBy('u', '$1')}
  ORDER BY l.lane_time DESC, p.id DESC LIMIT $8`,
);

/** How many users there are. Cost: one pass over the keys of user_tallies. */
export const EVERYBODY = `SELECT count(*)::integer AS everybody FROM user_tallies`;

/** How many authors a viewer's feed has. Cost: one pass over whom they follow. */
export const FEED_SIZE = `SELECT count(*)::integer AS authors FROM (${AUTHORS}) a`;

/** Viewers who follow somebody, always the same ones for the same data. Cost: one pass over user_tallies. */
export const SAMPLE_VIEWERS = `
  SELECT user_id AS id FROM user_tallies WHERE following > 0 ORDER BY hashtextextended(user_id::text, 7), user_id LIMIT $1`;
