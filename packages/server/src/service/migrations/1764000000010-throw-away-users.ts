import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Users whom the ownership check makes, so that they are found and removed however it ends. */
export class ThrowAwayUsers1764000000010 implements MigrationInterface {
  readonly name = 'ThrowAwayUsers1764000000010';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE throw_away_users (
        user_id  uuid PRIMARY KEY REFERENCES users ON DELETE CASCADE,
        made_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(
      `COMMENT ON TABLE throw_away_users IS 'Users of an ownership check under way; removed with all that is theirs when it ends'`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE throw_away_users`);
  }
}
