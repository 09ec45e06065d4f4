import { KEYS_THERE } from '../../ground/keys/key-changes.js';
import { WEIGHTING_COLUMNS } from '../../ranking/weighting/in-force.js';

/**
 * Where a session is alive, and the key of its token still good, with whose it is (`u`), the weighting in force (`w`) and which `keys` there
 * are.
 */
const alive = (session: string, presented: string, key: string): string => `
  FROM sessions s
  JOIN users u ON u.id = s.user_id
  JOIN weightings w ON w.in_force
  CROSS JOIN (SELECT ${KEYS_THERE} AS there, bool_or(k.id = ${key}::uuid) AS good FROM signing_keys k) keys
  WHERE s.id = ${session} AND s.ended_at IS NULL AND s.expires_at > clock_timestamp() AND ${presented}
    AND (${key}::uuid IS NULL OR keys.good)`;

/**
 * The first statement of a signed-in request: is the session ($1) alive, whose is it, is the key ($3) of its token still good, which keys are
 * there, and which weighting is in force. Cost: two primary-key probes, one of a table with one row in force, a pass over a few keys.
 */
export const SESSION_CHECK = `
  SELECT s.id, s.user_id, u.handle, u.moderator, keys.there AS keys, ${WEIGHTING_COLUMNS}
  ${alive('$1', 'CASE WHEN s.by_cookie THEN s.cookie_hash = $2 ELSE $2::bytea IS NULL END', '$3')}`;

/**
 * The same as one value of another statement, for the session of a token: an object of those columns; null where the session is dead, or none
 * is asked about. Such a call is one statement then.
 * @param session the parameter that names it, null for none
 * @param key the parameter that names the key of its token
 */
export const sessionLook = (session: string, key: string): string => `(
  SELECT json_build_object('id', s.id, 'user_id', s.user_id, 'handle', u.handle, 'moderator', u.moderator, 'keys', keys.there,
    'weighting_id', w.id, 'half_life_ms', w.half_life_ms, 'base', w.base, 'weights', w.weights)
  ${alive(`${session}::uuid`, 'NOT s.by_cookie', key)})`;
