import type { MigrationInterface, QueryRunner } from 'typeorm';

export class LogEntries1900000000000 implements MigrationInterface {
  readonly name = 'LogEntries1900000000000';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE log_entries (
        id uuid PRIMARY KEY,
        user_id uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        line text NOT NULL,
        created_at timestamptz(3) NOT NULL DEFAULT clock_timestamp())`);
    await runner.query(`CREATE INDEX log_entries_user ON log_entries (user_id)`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE log_entries`);
  }
}
