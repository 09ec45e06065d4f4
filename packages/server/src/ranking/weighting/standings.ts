/**
 * The SQL of one weighting's standings. Each live weighting has a table of its own and a function that sets places in
 * it, so that a new one can be built beside the old. The text is fixed once a weighting is made: whoever changes it
 * makes the functions of live weightings anew in a migration.
 */

/** Name of the table that holds the standings of a weighting. */
export function standingsTable(weighting: number): string {
  if (!Number.isSafeInteger(weighting) || weighting < 1) throw new RangeError(`no weighting ${weighting}`);
  return `standings_${weighting}`;
}

/**
 * The one plan of the functions that count and set standings: each row that changed is looked up by its keys. A plan lives as
 * long as its session, and one that suits a bulk load, or a table with three rows in it, is wrong for the next statement. A
 * bitmap is the one way to a table that is left on, since it cannot be had without a key. Nothing is compiled: a plan whose cost
 * is so beyond measure would be, each time. It is kept, whatever the first calls were like: planning costs more than doing.
 */
export const ONE_PLAN = `SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan`;

/** The table of a weighting, still without indexes, so that it is filled quickly. */
export const createStandings = (weighting: number): string => `
  CREATE TABLE ${standingsTable(weighting)} (post_id uuid NOT NULL, author_id uuid NOT NULL, lane_time timestamptz(3) NOT NULL)
  WITH (fillfactor = 80, autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 4000,
        autovacuum_vacuum_insert_scale_factor = 0, autovacuum_vacuum_insert_threshold = 4000)`;

/** Its indexes: the score-ordered feed walks the second (sweep) or probes the third (heads). */
export const indexStandings = (weighting: number): readonly string[] => {
  const table = standingsTable(weighting);
  return [
    `ALTER TABLE ${table} ADD PRIMARY KEY (post_id)`,
    `CREATE INDEX ${table}_lane ON ${table} (lane_time, post_id) INCLUDE (author_id)`,
    `CREATE INDEX ${table}_author_lane ON ${table} (author_id, lane_time, post_id)`,
  ];
};

/** Where visible posts stand by a weighting: the one law, for setting, building and checking. */
export const standingsBy = (weighting: string, where: string): string => `
  SELECT p.id AS post_id, p.author_id, lane_time(p.created_at, w.half_life_ms, w.base, k.carrying, k.holding)::timestamptz(3) AS lane_time
  FROM posts p
  JOIN post_tallies t ON t.post_id = p.id
  JOIN weightings w ON ${weighting}
  CROSS JOIN LATERAL pull(w.weights, t.comment_people, t.reactions, t.author_reaction) k
  WHERE p.deleted_at IS NULL AND ${where}`;

/**
 * Sets the standings of posts anew: never adds to them. A place is made, moved or taken away as the post is now, and a fall is
 * kept for scrolls under way unless nobody reads these standings yet. The caller holds the tally rows. Cost: one probe of
 * posts, post_tallies and the standings for each post.
 */
export const standFunction = (weighting: number): string => {
  const table = standingsTable(weighting);
  return `
CREATE OR REPLACE FUNCTION stand_${weighting}(ids uuid[], keep_falls boolean) RETURNS void LANGUAGE plpgsql VOLATILE ${ONE_PLAN} AS $$
BEGIN
  WITH due AS MATERIALIZED (
    SELECT a.id, d.author_id, d.lane_time AS now, s.author_id AS author_before, s.lane_time AS before
    FROM (SELECT DISTINCT id FROM unnest(ids) AS i (id)) a
    -- OFFSET 0: asked anew for each post, by its key; two sets without an index would be compared pair by pair.
    LEFT JOIN LATERAL (${standingsBy(`w.id = ${weighting}`, 'p.id = a.id')} OFFSET 0) d ON true
    LEFT JOIN ${table} s ON s.post_id = a.id
  ), moved AS (
    UPDATE ${table} s SET lane_time = d.now, author_id = d.author_id FROM due d
    WHERE s.post_id = d.id AND d.now IS NOT NULL AND (d.before, d.author_before) <> (d.now, d.author_id)
  ), made AS (
    INSERT INTO ${table} (post_id, author_id, lane_time) SELECT id, author_id, now FROM due WHERE now IS NOT NULL AND before IS NULL
  ), withdrawn AS (
    DELETE FROM ${table} s USING due d WHERE s.post_id = d.id AND d.now IS NULL
  )
  INSERT INTO standing_drops (post_id, xid, from_lane_time, weighting)
  SELECT id, pg_current_xact_id(), before, ${weighting} FROM due
  WHERE keep_falls AND before IS NOT NULL AND (now IS NULL OR now < before)
  ON CONFLICT (post_id, xid) DO UPDATE SET from_lane_time = greatest(standing_drops.from_lane_time, excluded.from_lane_time);
${raiseBounds(weighting, 's.post_id = ANY (ids)')};
END $$`;
};

/** The bounds are raised by so much at once, so that few writers do it. */
const BOUND_STEP_MS = 3_600_000;

/**
 * Keeps how far engagement moves posts under a weighting at most, up and down, so that who looks for the posts above an
 * instant knows when the oldest of them was made. The bounds only ever widen. Cost: one probe of posts and the standings
 * for each post, and seldom a version of the weighting's row.
 */
export const raiseBounds = (weighting: number, where: string): string => `
  UPDATE weightings w SET highest_lift_ms = greatest(w.highest_lift_ms, l.highest + ${BOUND_STEP_MS}), lowest_lift_ms = least(w.lowest_lift_ms, l.lowest - ${BOUND_STEP_MS})
  FROM (SELECT (extract(epoch FROM max(s.lane_time - p.created_at)) * 1000)::bigint AS highest, (extract(epoch FROM min(s.lane_time - p.created_at)) * 1000)::bigint AS lowest
        FROM ${standingsTable(weighting)} s JOIN posts p ON p.id = s.post_id WHERE ${where}) l
  WHERE w.id = ${weighting} AND (l.highest > w.highest_lift_ms OR l.lowest < w.lowest_lift_ms)`;

/** The view of the standings under the weighting in force. */
export const standingsView = (weighting: number): string =>
  `CREATE OR REPLACE VIEW standings AS SELECT post_id, author_id, lane_time FROM ${standingsTable(weighting)}`;

/** Takes a weighting's standings away. */
export const dropStandings = (weighting: number): readonly string[] => [
  `DROP TABLE IF EXISTS ${standingsTable(weighting)}`,
  `DROP FUNCTION IF EXISTS stand_${weighting}(uuid[], boolean)`,
];

/** The advisory lock that whoever sets standings takes shared, and a change of weighting alone. */
export const STANDINGS_LOCK = `hashtext('gather-lane standings')`;
