import type { MigrationInterface, QueryRunner } from 'typeorm';
import { SET_STANDINGS, standFunction } from '../../weighting/standings.js';
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
