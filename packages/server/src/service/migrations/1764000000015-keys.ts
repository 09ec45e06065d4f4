import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Refresh tokens one by one, the operator's browser sessions, and keys that sign cursors. */
export class Keys1764000000015 implements MigrationInterface {
  readonly name = 'Keys1764000000015';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE refresh_tokens (
        hash         bytea PRIMARY KEY,
        session_id   uuid NOT NULL REFERENCES sessions ON DELETE CASCADE,
        parent_hash  bytea,
        made_at      timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        used_at      timestamptz(3)
      )`);
    await runner.query(`CREATE INDEX refresh_tokens_session ON refresh_tokens (session_id, parent_hash)`);
    await runner.query(
      `COMMENT ON TABLE refresh_tokens IS 'Refresh tokens of live sessions by their SHA-256, and for which one each was handed out'`,
    );
    await runner.query(`
      INSERT INTO refresh_tokens (hash, session_id, made_at, used_at)
      SELECT previous_hash, id, created_at, rotated_at FROM sessions WHERE NOT by_cookie AND previous_hash IS NOT NULL`);
    await runner.query(`
      INSERT INTO refresh_tokens (hash, session_id, parent_hash, made_at)
      SELECT refresh_hash, id, previous_hash, coalesce(rotated_at, created_at) FROM sessions WHERE NOT by_cookie AND refresh_hash IS NOT NULL`);
    await runner.query(`UPDATE sessions SET refresh_hash = NULL WHERE NOT by_cookie`);
    await runner.query(`ALTER TABLE sessions DROP previous_hash`);
    await runner.query(`ALTER TABLE sessions RENAME refresh_hash TO cookie_hash`);
    await runner.query(
      `COMMENT ON COLUMN sessions.cookie_hash IS 'SHA-256 of the cookie of a browser; null for tokens'`,
    );
    await runner.query(`COMMENT ON COLUMN sessions.by_cookie IS 'Of a browser, which keeps it in a cookie'`);

    await runner.query(`
      CREATE TABLE operator_sessions (
        token_hash  bytea PRIMARY KEY,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        expires_at  timestamptz(3) NOT NULL
      )`);
    await runner.query(`CREATE INDEX operator_sessions_expiry ON operator_sessions (expires_at)`);
    await runner.query(
      `COMMENT ON TABLE operator_sessions IS 'Browsers that the operator key was given in, by a hash of their cookie and the key'`,
    );

    await runner.query(`
      ALTER TABLE signing_keys ADD purpose text NOT NULL DEFAULT 'tokens'
        CONSTRAINT signing_keys_purpose CHECK (purpose IN ('tokens', 'cursors'))`);
    await runner.query(`COMMENT ON COLUMN signing_keys.purpose IS 'What it signs: access tokens, or cursors of lists'`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DELETE FROM signing_keys WHERE purpose <> 'tokens'`);
    await runner.query(`ALTER TABLE signing_keys DROP purpose`);
    await runner.query(`DROP TABLE operator_sessions`);
    await runner.query(`ALTER TABLE sessions RENAME cookie_hash TO refresh_hash`);
    await runner.query(`ALTER TABLE sessions ADD previous_hash bytea`);
    await runner.query(`
      UPDATE sessions s SET refresh_hash = t.hash, previous_hash = t.parent_hash
      FROM (SELECT DISTINCT ON (session_id) * FROM refresh_tokens WHERE used_at IS NULL ORDER BY session_id, made_at DESC) t
      WHERE t.session_id = s.id`);
    await runner.query(`DROP TABLE refresh_tokens`);
  }
}
