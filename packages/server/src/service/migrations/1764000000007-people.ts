import type { MigrationInterface, QueryRunner } from 'typeorm';

/** How people keep apart, who moderates, what is out of sight, and how an account goes. */
export class People1764000000007 implements MigrationInterface {
  readonly name = 'People1764000000007';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      ALTER TABLE users
        ADD audience text NOT NULL DEFAULT 'everyone' CONSTRAINT users_audience CHECK (audience IN ('everyone', 'signed-in')),
        ADD moderator boolean NOT NULL DEFAULT false,
        ADD erased_at timestamptz(3)`);
    await runner.query(
      `COMMENT ON COLUMN users.erased_at IS 'The account was deleted; a job erases what is left of it'`,
    );
    await runner.query(`CREATE INDEX users_erased ON users (erased_at) WHERE erased_at IS NOT NULL`);
    await runner.query(`CREATE INDEX users_moderators ON users (handle) WHERE moderator`);

    for (const [table, actor, target] of [
      ['mutes', 'muter_id', 'muted_id'],
      ['blocks', 'blocker_id', 'blocked_id'],
    ] as const) {
      await runner.query(`
        CREATE TABLE ${table} (
          ${actor}    uuid NOT NULL REFERENCES users ON DELETE CASCADE,
          ${target}   uuid NOT NULL REFERENCES users ON DELETE CASCADE,
          created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
          PRIMARY KEY (${actor}, ${target}),
          CONSTRAINT ${table}_not_self CHECK (${actor} <> ${target})
        )`);
      await runner.query(`CREATE INDEX ${table}_target ON ${table} (${target})`);
      await runner.query(`CREATE INDEX ${table}_listed ON ${table} (${actor}, created_at, ${target})`);
    }

    await runner.query(`
      CREATE TABLE reserved_handles (
        handle          text PRIMARY KEY,
        user_id         uuid REFERENCES users ON DELETE SET NULL,
        reserved_until  timestamptz(3) NOT NULL
      )`);
    await runner.query(
      `COMMENT ON TABLE reserved_handles IS 'Handles that were given up, kept free for a while so that nobody is mistaken for their old owner'`,
    );
    await runner.query(`CREATE INDEX reserved_handles_user ON reserved_handles (user_id)`);

    for (const table of ['posts', 'comments']) {
      await runner.query(`
        ALTER TABLE ${table} ADD removal text
          CONSTRAINT ${table}_removal CHECK (removal IN ('owner', 'moderator', 'withheld'))`);
      await runner.query(
        `COMMENT ON COLUMN ${table}.removal IS 'Who took it out of sight at deleted_at: its owner, or a moderator for good or for the time being'`,
      );
      await runner.query(`UPDATE ${table} SET removal = 'owner' WHERE deleted_at IS NOT NULL`);
      await runner.query(`CREATE INDEX ${table}_removed ON ${table} (deleted_at) WHERE deleted_at IS NOT NULL`);
    }
    // What is left of a comment with answers once its author's account is gone: a place without text or author.
    await runner.query(`
      ALTER TABLE comments
        ALTER author_id DROP NOT NULL,
        DROP CONSTRAINT comments_body_length,
        ADD CONSTRAINT comments_body_length CHECK (CASE WHEN author_id IS NULL THEN body = '' ELSE char_length(body) BETWEEN 1 AND 4000 END),
        ADD CONSTRAINT comments_marker CHECK (author_id IS NOT NULL OR deleted_at IS NOT NULL)`);
    await runner.query(`
      CREATE INDEX comments_markers ON comments (post_id, created_at, id) WHERE author_id IS NULL`);
    // A comment that loses its author is uncounted for who wrote it.
    await runner.query(countUpdatedComments('o.author_id'));

    await runner.query(`
      CREATE TABLE moderations (
        id            uuid PRIMARY KEY,
        moderator_id  uuid REFERENCES users ON DELETE SET NULL,
        post_id       uuid NOT NULL REFERENCES posts ON DELETE CASCADE,
        comment_id    uuid REFERENCES comments ON DELETE CASCADE,
        action        text NOT NULL CONSTRAINT moderations_action CHECK (action IN ('delete', 'withhold', 'restore')),
        reason        text NOT NULL CONSTRAINT moderations_reason CHECK (char_length(reason) BETWEEN 1 AND 1000),
        created_at    timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(`CREATE INDEX moderations_newest ON moderations (created_at, id)`);
    for (const column of ['moderator_id', 'post_id', 'comment_id'])
      await runner.query(`CREATE INDEX moderations_${column} ON moderations (${column})`);

    await runner.query(`
      CREATE TABLE refused_attempts (
        user_id   uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        route     text NOT NULL,
        thing_id  uuid NOT NULL,
        hour      timestamptz(3) NOT NULL,
        kind      text NOT NULL,
        n         integer NOT NULL DEFAULT 1 CONSTRAINT refused_attempts_n CHECK (n > 0),
        last_at   timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        PRIMARY KEY (user_id, route, thing_id, hour)
      )`);
    await runner.query(`CREATE INDEX refused_attempts_hour ON refused_attempts (hour)`);
    await runner.query(`
      CREATE TABLE erasures (
        user_id   uuid PRIMARY KEY REFERENCES users ON DELETE CASCADE,
        begun_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        erased    integer NOT NULL DEFAULT 0
      )`);
    await runner.query(`CREATE INDEX erasures_begun ON erasures (begun_at)`);
    await runner.query(
      `COMMENT ON TABLE refused_attempts IS 'Calls on things of somebody else, gathered by who, route, thing and hour'`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE erasures, refused_attempts, moderations, reserved_handles, blocks, mutes`);
    await runner.query(countUpdatedComments('n.author_id'));
    await runner.query(`DELETE FROM comments WHERE author_id IS NULL`);
    await runner.query(`
      ALTER TABLE comments DROP CONSTRAINT comments_marker, DROP CONSTRAINT comments_body_length,
        ADD CONSTRAINT comments_body_length CHECK (char_length(body) BETWEEN 1 AND 4000), ALTER author_id SET NOT NULL`);
    await runner.query(`DROP INDEX comments_markers, posts_removed, comments_removed, users_erased, users_moderators`);
    for (const table of ['posts', 'comments']) await runner.query(`ALTER TABLE ${table} DROP removal`);
    await runner.query(`ALTER TABLE users DROP audience, DROP moderator, DROP erased_at`);
  }
}

/** The trigger's function of before, but for whose comment it was. */
const countUpdatedComments = (author: string) => `
CREATE OR REPLACE FUNCTION after_comments_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(d))
  FROM (SELECT n.post_id, ${author}, (n.deleted_at IS NULL)::integer - (o.deleted_at IS NULL)::integer AS d
        FROM new_rows n JOIN old_rows o ON o.id = n.id) r WHERE d <> 0 HAVING count(*) > 0;
  RETURN NULL;
END $$`;
