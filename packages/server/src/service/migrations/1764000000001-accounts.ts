import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Users, how they prove who they are, and their sessions. */
export class Accounts1764000000001 implements MigrationInterface {
  readonly name = 'Accounts1764000000001';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE users (
        id          uuid PRIMARY KEY,
        handle      text NOT NULL CONSTRAINT users_handle_shape CHECK (handle ~ '^[a-z][a-z0-9_]{2,23}$'),
        name        text NOT NULL CONSTRAINT users_name_length CHECK (char_length(name) BETWEEN 1 AND 4000),
        bio         text NOT NULL DEFAULT '' CONSTRAINT users_bio_length CHECK (char_length(bio) <= 4000),
        version     integer NOT NULL DEFAULT 1,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        CONSTRAINT users_handle_taken UNIQUE (handle)
      )`);
    // The list of users is searched by the beginning of a handle or of a name.
    await runner.query(`CREATE INDEX users_handle_start ON users (handle text_pattern_ops)`);
    await runner.query(`CREATE INDEX users_name_start ON users (lower(name) text_pattern_ops)`);

    await runner.query(`
      CREATE TABLE credentials (
        user_id        uuid PRIMARY KEY REFERENCES users ON DELETE CASCADE,
        email          text NOT NULL CONSTRAINT credentials_email_length CHECK (char_length(email) BETWEEN 3 AND 254),
        password_hash  text NOT NULL,
        demo           boolean NOT NULL DEFAULT false
      )`);
    await runner.query(`CREATE UNIQUE INDEX credentials_email_taken ON credentials (lower(email))`);
    await runner.query(
      `COMMENT ON COLUMN credentials.demo IS 'Made by the demo, with a published password: only a demo service accepts it'`,
    );

    await runner.query(`
      CREATE TABLE sessions (
        id             uuid PRIMARY KEY,
        user_id        uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        refresh_hash   bytea,
        previous_hash  bytea,
        rotated_at     timestamptz(3),
        acting         boolean NOT NULL DEFAULT false,
        created_at     timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        expires_at     timestamptz(3) NOT NULL,
        ended_at       timestamptz(3)
      )`);
    await runner.query(`CREATE INDEX sessions_user ON sessions (user_id)`);
    await runner.query(`CREATE INDEX sessions_expiry ON sessions (expires_at)`);
    await runner.query(
      `COMMENT ON COLUMN sessions.acting IS 'Opened by the operator to act as the user; it cannot be refreshed'`,
    );

    await runner.query(`
      CREATE TABLE signing_keys (
        id          uuid PRIMARY KEY,
        secret      bytea NOT NULL CONSTRAINT signing_keys_strength CHECK (octet_length(secret) >= 32),
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE signing_keys, sessions, credentials, users`);
  }
}
