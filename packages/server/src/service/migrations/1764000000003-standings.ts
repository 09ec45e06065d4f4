import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Tallies, weightings, and where each post stands under the one in force. */
export class Standings1764000000003 implements MigrationInterface {
  readonly name = 'Standings1764000000003';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE user_tallies (
        user_id    uuid PRIMARY KEY REFERENCES users ON DELETE CASCADE,
        posts      integer NOT NULL DEFAULT 0 CONSTRAINT user_tallies_posts CHECK (posts >= 0),
        followers  integer NOT NULL DEFAULT 0 CONSTRAINT user_tallies_followers CHECK (followers >= 0),
        following  integer NOT NULL DEFAULT 0 CONSTRAINT user_tallies_following CHECK (following >= 0)
      ) WITH (fillfactor = 70)`);
    await runner.query(`
      CREATE TABLE post_tallies (
        post_id         uuid PRIMARY KEY REFERENCES posts ON DELETE CASCADE,
        comments        integer NOT NULL DEFAULT 0 CONSTRAINT post_tallies_comments CHECK (comments >= 0),
        comment_people  integer NOT NULL DEFAULT 0 CONSTRAINT post_tallies_comment_people CHECK (comment_people >= 0)
      ) WITH (fillfactor = 70)`);
    await runner.query(
      `COMMENT ON COLUMN post_tallies.comment_people IS 'How many people other than the author have commented'`,
    );
    // user_id has no foreign key on purpose: the rows follow the comments, through their trigger, so
    // that removing a user never takes a row away before the comment that it counts.
    await runner.query(`
      CREATE TABLE post_commenters (
        post_id  uuid NOT NULL REFERENCES posts ON DELETE CASCADE,
        user_id  uuid NOT NULL,
        n        integer NOT NULL CONSTRAINT post_commenters_n CHECK (n > 0),
        PRIMARY KEY (post_id, user_id)
      )`);

    await runner.query(`
      CREATE TABLE weightings (
        id            integer PRIMARY KEY,
        half_life_ms  bigint NOT NULL CONSTRAINT weightings_half_life CHECK (half_life_ms BETWEEN 60000 AND 31536000000),
        base          integer NOT NULL CONSTRAINT weightings_base CHECK (base > 0),
        weights       jsonb NOT NULL CONSTRAINT weightings_weights CHECK (jsonb_typeof(weights) = 'object'),
        note          text NOT NULL DEFAULT '',
        in_force      boolean NOT NULL DEFAULT false,
        created_at    timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(
      `COMMENT ON TABLE weightings IS 'The numbers behind lane time; base and weights in whole thousandths'`,
    );
    await runner.query(`CREATE UNIQUE INDEX weightings_one_in_force ON weightings (in_force) WHERE in_force`);
    await runner.query(`
      INSERT INTO weightings (id, half_life_ms, base, weights, note, in_force)
      VALUES (1, 28800000, 4000, '{"comment": 3000}', 'The first weighting', true)`);

    // The law of lane time, once in SQL; core's laneTime is the other. ln(x)/ln(2) and Math.log2 agree
    // to the last bits of a double, and both round half up to the millisecond.
    await runner.query(`
      CREATE FUNCTION lane_time(created_at timestamptz, half_life_ms bigint, base bigint, carrying bigint, holding bigint)
      RETURNS timestamptz LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
        SELECT created_at + floor(half_life_ms * (ln((base + carrying)::float8 / (base + holding)::float8) / ln(2::float8)) + 0.5) * interval '1 millisecond'
      $$`);

    await runner.query(`
      CREATE TABLE standings_1 (
        post_id    uuid PRIMARY KEY REFERENCES posts ON DELETE CASCADE,
        author_id  uuid NOT NULL,
        lane_time  timestamptz(3) NOT NULL
      ) WITH (fillfactor = 80, autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 4000,
              autovacuum_vacuum_insert_scale_factor = 0, autovacuum_vacuum_insert_threshold = 4000)`);
    // The score-ordered feed walks the first (sweep) or probes the second (heads).
    await runner.query(`CREATE INDEX standings_1_lane ON standings_1 (lane_time, post_id) INCLUDE (author_id)`);
    await runner.query(`CREATE INDEX standings_1_author_lane ON standings_1 (author_id, lane_time, post_id)`);
    await runner.query(`CREATE VIEW standings AS SELECT post_id, author_id, lane_time FROM standings_1`);
    await runner.query(`COMMENT ON VIEW standings IS 'The standings under the weighting in force'`);

    await runner.query(`
      CREATE TABLE standing_drops (
        post_id         uuid NOT NULL,
        xid             xid8 NOT NULL,
        from_lane_time  timestamptz(3) NOT NULL,
        dropped_at      timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        PRIMARY KEY (post_id, xid)
      )`);
    await runner.query(`CREATE INDEX standing_drops_age ON standing_drops (dropped_at)`);
    await runner.query(
      `COMMENT ON TABLE standing_drops IS 'Posts that fell, kept a day, so that no scroll under way meets one twice'`,
    );
    await runner.query(`
      ALTER TABLE posts SET (autovacuum_vacuum_insert_scale_factor = 0, autovacuum_vacuum_insert_threshold = 4000,
                             autovacuum_vacuum_scale_factor = 0.02, autovacuum_vacuum_threshold = 4000)`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP VIEW standings`);
    await runner.query(
      `DROP TABLE standing_drops, standings_1, weightings, post_commenters, post_tallies, user_tallies`,
    );
    await runner.query(`DROP FUNCTION lane_time`);
  }
}
