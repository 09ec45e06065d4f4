import type { DataCheck } from '../../ground/capability/data-check.js';
import { REPAIR_POSTS } from '../tallies/repair.js';
import { standingsBy } from './standings.js';

/** Where each visible post should stand, by its tally and the weighting in force. */
const SHOULD_STAND = standingsBy('w.in_force', 'true');

/** Posts that do not stand where they should. */
export const STANDING_CHECKS: readonly DataCheck[] = [
  {
    name: 'standings-missing',
    means: 'a visible post stands nowhere, so no score-ordered feed holds it',
    repair: REPAIR_POSTS,
    recounts: true,
    sql: `SELECT d.post_id::text AS id, 'none' AS found, d.lane_time::text AS should FROM (${SHOULD_STAND}) d LEFT JOIN standings s ON s.post_id = d.post_id WHERE s.post_id IS NULL`,
  },
  {
    name: 'standings-left-over',
    means: 'a post that is not visible still stands',
    repair: REPAIR_POSTS,
    recounts: true,
    sql: `SELECT s.post_id::text AS id, s.lane_time::text AS found, 'none' AS should FROM standings s LEFT JOIN posts p ON p.id = s.post_id AND p.deleted_at IS NULL WHERE p.id IS NULL`,
  },
  {
    name: 'standings-wrong',
    means: 'a post does not stand at its lane time by the weighting in force, or under another author',
    repair: REPAIR_POSTS,
    recounts: true,
    sql: `SELECT d.post_id::text AS id, s.lane_time::text AS found, d.lane_time::text AS should FROM (${SHOULD_STAND}) d JOIN standings s ON s.post_id = d.post_id
      WHERE (s.lane_time, s.author_id) <> (d.lane_time, d.author_id)`,
  },
];
