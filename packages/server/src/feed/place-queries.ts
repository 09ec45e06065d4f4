import type { Removal } from '@gather-lane/core';
import { COUNT_COLUMNS, type CountColumns } from '../ranking/tallies/counts.js';
import { seenBy } from '../accounts/users/visibility.js';
import { standingsTable } from '../ranking/weighting/standings.js';
import { AUTHORS } from './finding.js';

/** Where one post stands to one viewer: for `place`. Cost: a handful of primary-key probes. */
export const PLACE_FACTS = `
  SELECT p.id, p.author_id, a.handle, p.created_at, p.deleted_at, p.removal, ${COUNT_COLUMNS}, f.created_at AS since,
    EXISTS (SELECT FROM mutes WHERE muter_id = $1 AND muted_id = p.author_id) AS muted,
    EXISTS (SELECT FROM blocks WHERE blocker_id = $1 AND blocked_id = p.author_id) AS blocked,
    ${seenBy('a', '$1')} AS seen
  FROM posts p
  JOIN users a ON a.id = p.author_id
  JOIN post_tallies t ON t.post_id = p.id
  LEFT JOIN follows f ON f.follower_id = $1 AND f.followee_id = p.author_id
  WHERE p.id = $2`;

/** A row of that statement. */
export interface PlaceRow extends CountColumns {
  readonly id: string;
  readonly author_id: string;
  readonly handle: string;
  readonly created_at: Date;
  readonly deleted_at: Date | null;
  readonly removal: Removal | null;
  readonly muted: boolean;
  readonly blocked: boolean;
  readonly seen: boolean;
  readonly since: Date | null;
}

/**
 * The post right above a place ($3 lane time, $4 id) in a viewer's feed. Cost: one probe of the standings for each author of
 * the feed: more than a page, and asked for one post at a time.
 */
export const nextAbove = (weighting: number): string => `
  SELECT n.post_id AS id, n.lane_time, u.handle
  FROM (${AUTHORS}) a
  CROSS JOIN LATERAL (
    SELECT post_id, lane_time, author_id FROM ${standingsTable(weighting)} s
    WHERE s.author_id = a.id AND (s.lane_time, s.post_id) > ($3::timestamptz, $4::uuid)
    ORDER BY s.lane_time, s.post_id LIMIT 1) n
  JOIN users u ON u.id = n.author_id
  ORDER BY n.lane_time, n.post_id LIMIT 1`;

/** A row of that statement. */
export interface AboveRow {
  readonly id: string;
  readonly lane_time: Date;
  readonly handle: string;
}
