import type { MigrationInterface, QueryRunner } from 'typeorm';

/** The journal of fills: which were begun, and how many of their batches are in. */
export class FillRuns1764000000005 implements MigrationInterface {
  readonly name = 'FillRuns1764000000005';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE fill_runs (
        id           integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY,
        users        integer NOT NULL,
        posts        integer NOT NULL,
        follows      integer NOT NULL,
        comments     integer NOT NULL,
        days         integer NOT NULL,
        seed         integer NOT NULL,
        started_at   timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        batches      integer NOT NULL,
        done         integer NOT NULL DEFAULT 0,
        CONSTRAINT fill_runs_done CHECK (done BETWEEN 0 AND batches)
      )`);
    await runner.query(
      `COMMENT ON COLUMN fill_runs.done IS 'Batches that are in; moved on in the transaction of each'`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE fill_runs`);
  }
}
