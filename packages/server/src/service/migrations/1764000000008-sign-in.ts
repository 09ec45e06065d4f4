import type { MigrationInterface, QueryRunner } from 'typeorm';

/** How people prove who they are, beyond a password: reset links, outside identities; and how guessing is slowed. */
export class SignIn1764000000008 implements MigrationInterface {
  readonly name = 'SignIn1764000000008';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      ALTER TABLE sessions
        ADD family_hash bytea,
        ADD by_cookie boolean NOT NULL DEFAULT false,
        ADD end_reason text CONSTRAINT sessions_end_reason
          CHECK (end_reason IN ('signed-out', 'ended', 'everywhere', 'password', 'reuse', 'account'))`);
    await runner.query(
      `COMMENT ON COLUMN sessions.family_hash IS 'SHA-256 of what all refresh tokens of the session have in common: an old one is known by it'`,
    );
    await runner.query(
      `COMMENT ON COLUMN sessions.by_cookie IS 'Of a browser: refresh_hash is then that of the cookie, which is not rotated'`,
    );

    await runner.query(`
      CREATE TABLE sign_in_attempts (
        key      bytea PRIMARY KEY,
        n        integer NOT NULL,
        last_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(
      `COMMENT ON TABLE sign_in_attempts IS 'Attempts in a row by (account, address) and by account, each under a hash of them'`,
    );
    await runner.query(`CREATE INDEX sign_in_attempts_age ON sign_in_attempts (last_at)`);

    await runner.query(`
      CREATE TABLE password_resets (
        token_hash  bytea PRIMARY KEY,
        user_id     uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        expires_at  timestamptz(3) NOT NULL,
        used_at     timestamptz(3)
      )`);
    await runner.query(`CREATE INDEX password_resets_user ON password_resets (user_id, created_at)`);

    await runner.query(`
      CREATE TABLE identities (
        id          uuid PRIMARY KEY,
        issuer      text NOT NULL,
        subject     text NOT NULL,
        user_id     uuid REFERENCES users ON DELETE SET NULL,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        CONSTRAINT identities_taken UNIQUE (issuer, subject)
      )`);
    await runner.query(`CREATE INDEX identities_user ON identities (user_id)`);
    await runner.query(
      `COMMENT ON COLUMN identities.subject IS 'As the issuer says; its SHA-256 once the account is deleted, so that it stays gone'`,
    );
    await runner.query(`
      CREATE TABLE provider_sign_ins (
        ticket_hash  bytea PRIMARY KEY,
        provider     text NOT NULL,
        state        text NOT NULL,
        nonce        text NOT NULL,
        verifier     text NOT NULL,
        user_id      uuid REFERENCES users ON DELETE CASCADE,
        created_at   timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(`CREATE INDEX provider_sign_ins_user ON provider_sign_ins (user_id)`);
    await runner.query(`CREATE INDEX provider_sign_ins_age ON provider_sign_ins (created_at)`);
    await runner.query(
      `COMMENT ON COLUMN provider_sign_ins.user_id IS 'Whose account the identity is to be linked to; null for signing in'`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE provider_sign_ins, identities, password_resets, sign_in_attempts`);
    await runner.query(`ALTER TABLE sessions DROP family_hash, DROP by_cookie, DROP end_reason`);
  }
}
