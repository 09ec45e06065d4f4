import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What several processes of one database share: how often somebody called, and who does which work. */
export class ManyProcesses1764000000021 implements MigrationInterface {
  readonly name = 'ManyProcesses1764000000021';

  async up(runner: QueryRunner): Promise<void> {
    // A crash may take them along: the minute begins anew.
    await runner.query(`
      CREATE UNLOGGED TABLE call_counts (
        key text PRIMARY KEY,
        n integer NOT NULL,
        ends_at timestamptz(3) NOT NULL)`);
    await runner.query(`CREATE INDEX call_counts_ends ON call_counts (ends_at)`);
    await runner.query(
      `COMMENT ON TABLE call_counts IS 'How often a caller or an address called in the minute that ends then, at all processes; a hash says who'`,
    );
    await runner.query(`
      CREATE TABLE jobs (
        name text PRIMARY KEY,
        due_at timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        holder uuid,
        held_by text,
        held_until timestamptz(3),
        begun_at timestamptz(3),
        ended_at timestamptz(3),
        failures integer NOT NULL DEFAULT 0,
        failed_with text,
        CONSTRAINT jobs_held CHECK ((holder IS NULL) = (held_until IS NULL) AND (holder IS NULL) = (held_by IS NULL)))`);
    await runner.query(
      `COMMENT ON TABLE jobs IS 'Work that one process at a time does now and then: when it is due, who does it, and how it went'`,
    );
    await runner.query(`
      CREATE TABLE ownership_checks (
        latest boolean PRIMARY KEY DEFAULT true CONSTRAINT ownership_checks_one CHECK (latest),
        started_at timestamptz(3) NOT NULL,
        ended_at timestamptz(3) NOT NULL,
        calls integer NOT NULL,
        faults integer NOT NULL,
        routes jsonb NOT NULL)`);
    await runner.query(`COMMENT ON TABLE ownership_checks IS 'What the latest ownership check found: one row'`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE ownership_checks`);
    await runner.query(`DROP TABLE jobs`);
    await runner.query(`DROP TABLE call_counts`);
  }
}
