import type { MigrationInterface, QueryRunner } from 'typeorm';
import { SET_STANDINGS as FIRST_SET_STANDINGS } from './1764000000004-tallies.js';

/** Several weightings side by side: one in force, one that may be being built, and those of before. */
export class Weightings1764000000012 implements MigrationInterface {
  readonly name = 'Weightings1764000000012';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      ALTER TABLE weightings
        ADD state text NOT NULL DEFAULT 'building' CONSTRAINT weightings_state
          CHECK (state IN ('building', 'in-force', 'retired', 'past', 'cancelled', 'failed')),
        ADD adopted_by text NOT NULL DEFAULT 'operator' CONSTRAINT weightings_adopted_by CHECK (char_length(adopted_by) <= 60),
        ADD in_force_from timestamptz(3),
        ADD in_force_until timestamptz(3),
        ADD phase text,
        ADD built bigint NOT NULL DEFAULT 0,
        ADD to_build bigint,
        ADD effect jsonb`);
    await runner.query(`
      UPDATE weightings SET state = CASE WHEN in_force THEN 'in-force' ELSE 'past' END, adopted_by = 'the first start',
        in_force_from = created_at`);
    await runner.query(
      `ALTER TABLE weightings ADD CONSTRAINT weightings_in_force CHECK (in_force = (state = 'in-force'))`,
    );
    await runner.query(`CREATE UNIQUE INDEX weightings_one_building ON weightings (state) WHERE state = 'building'`);
    await runner.query(
      `COMMENT ON COLUMN weightings.state IS 'retired: in force until lately, its standings kept a day for scrolls under way'`,
    );
    await runner.query(`ALTER TABLE standing_drops ADD weighting integer NOT NULL DEFAULT 1`);
    await runner.query(`COMMENT ON COLUMN standing_drops.weighting IS 'Under which weighting the post fell'`);
    await runner.query(`CREATE TABLE restand (post_id uuid PRIMARY KEY)`);
    await runner.query(
      `COMMENT ON TABLE restand IS 'Posts that changed while the standings of a new weighting are built'`,
    );
    // Standings go with their post through its trigger, as in the tables that are built later.
    await runner.query(`ALTER TABLE standings_1 DROP CONSTRAINT standings_1_post_id_fkey`);
    await runner.query(standFunction(1));
    await runner.query(`DROP FUNCTION set_standings(uuid[])`);
    await runner.query(SET_STANDINGS);
    await runner.query(afterPostsDeleted('PERFORM set_standings(array_agg(id)) FROM old_rows HAVING count(*) > 0;'));
    await runner.query(`SELECT set_standings(array_agg(id)) FROM posts HAVING count(*) > 0`);
  }

  async down(runner: QueryRunner): Promise<void> {
    const [{ other }] = (await runner.query(
      `SELECT count(*)::integer AS other FROM weightings WHERE id <> 1 AND state IN ('building', 'in-force', 'retired')`,
    )) as [{ other: number }];
    if (other > 0) throw new Error('Another weighting than the first is in force or live: this cannot be taken back.');
    await runner.query(afterPostsDeleted(''));
    await runner.query(`ALTER TABLE standing_drops DROP weighting`);
    await runner.query(`DROP TABLE restand`);
    await runner.query(`DROP FUNCTION stand_1(uuid[], boolean), set_standings(uuid[])`);
    await runner.query(FIRST_SET_STANDINGS);
    await runner.query(`DELETE FROM weightings WHERE id <> 1`);
    await runner.query(`DROP INDEX weightings_one_building`);
    await runner.query(
      `ALTER TABLE weightings DROP CONSTRAINT weightings_in_force, DROP state, DROP adopted_by, DROP in_force_from, DROP in_force_until, DROP phase, DROP built, DROP to_build, DROP effect`,
    );
    await runner.query(
      `ALTER TABLE standings_1 ADD CONSTRAINT standings_1_post_id_fkey FOREIGN KEY (post_id) REFERENCES posts ON DELETE CASCADE`,
    );
  }
}

const afterPostsDeleted = (first: string) => `
CREATE OR REPLACE FUNCTION after_posts_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off AS $$
BEGIN
  ${first}
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (-1 * count(*))::integer AS n FROM old_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  RETURN NULL;
END $$`;

/** The plan of the functions that count and set standings, as it was here. */
export const ONE_PLAN = `SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off`;

/** Sets the standings of posts by a weighting anew, as it was here. */
export const standFunction = (weighting: number): string => {
  const table = `standings_${weighting}`;
  return `
CREATE OR REPLACE FUNCTION stand_${weighting}(ids uuid[], keep_falls boolean) RETURNS void LANGUAGE plpgsql VOLATILE ${ONE_PLAN} AS $$
BEGIN
  WITH due AS MATERIALIZED (
    SELECT a.id, d.author_id, d.lane_time AS now, s.author_id AS author_before, s.lane_time AS before
    FROM (SELECT DISTINCT id FROM unnest(ids) AS i (id)) a
    -- OFFSET 0: asked anew for each post, by its key; two sets without an index would be compared pair by pair.
    LEFT JOIN LATERAL (
  SELECT p.id AS post_id, p.author_id, lane_time(p.created_at, w.half_life_ms, w.base, k.carrying, k.holding)::timestamptz(3) AS lane_time
  FROM posts p
  JOIN post_tallies t ON t.post_id = p.id
  JOIN weightings w ON w.id = ${weighting}
  CROSS JOIN LATERAL pull(w.weights, t.comment_people, t.reactions, t.author_reaction) k
  WHERE p.deleted_at IS NULL AND p.id = a.id OFFSET 0) d ON true
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
END $$`;
};

/** Sets the standings of posts under every live weighting, as it was here. */
const SET_STANDINGS = `
CREATE OR REPLACE FUNCTION set_standings(ids uuid[]) RETURNS void LANGUAGE plpgsql VOLATILE ${ONE_PLAN} AS $$
DECLARE
  w record;
BEGIN
  PERFORM pg_advisory_xact_lock_shared(hashtext('gather-lane standings'));
  FOR w IN SELECT id, state FROM weightings WHERE state IN ('in-force', 'building', 'retired') LOOP
    IF w.state = 'in-force' THEN
      EXECUTE format('SELECT stand_%s($1, true)', w.id) USING ids;
    ELSIF w.state = 'building' THEN
      INSERT INTO restand (post_id) SELECT DISTINCT id FROM unnest(ids) AS i (id) ORDER BY id ON CONFLICT DO NOTHING;
    ELSE
      EXECUTE format('DELETE FROM standings_%s s WHERE s.post_id = ANY ($1) AND NOT EXISTS (SELECT FROM posts p WHERE p.id = s.post_id AND p.deleted_at IS NULL)', w.id) USING ids;
    END IF;
  END LOOP;
END $$`;
