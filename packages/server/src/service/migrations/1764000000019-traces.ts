import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What calls did: their traces, and how the database tells of rows. */
export class Traces1764000000019 implements MigrationInterface {
  readonly name = 'Traces1764000000019';

  async up(runner: QueryRunner): Promise<void> {
    // What a crash may take along: nobody's data.
    await runner.query(`
      CREATE UNLOGGED TABLE traces (
        n bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
        id uuid NOT NULL UNIQUE,
        process uuid NOT NULL,
        started_at timestamptz(3) NOT NULL,
        method text NOT NULL,
        route text NOT NULL,
        caller text NOT NULL,
        user_id uuid,
        handle text,
        status integer,
        ms real NOT NULL,
        statements integer NOT NULL,
        rows integer NOT NULL,
        warnings integer NOT NULL,
        rehearsed boolean NOT NULL,
        bytes integer NOT NULL,
        body text NOT NULL)`);
    await runner.query(`CREATE INDEX traces_process ON traces (process, n)`);
    await runner.query(`CREATE INDEX traces_started ON traces (started_at)`);
    await runner.query(`
      CREATE UNLOGGED TABLE trace_texts (
        hash text PRIMARY KEY,
        text text NOT NULL,
        seen_at timestamptz(3) NOT NULL DEFAULT clock_timestamp())`);
    await runner.query(`ALTER TABLE live_services ADD COLUMN traces boolean NOT NULL DEFAULT false`);
    await runner.query(`
      CREATE OR REPLACE FUNCTION trace_row() RETURNS trigger LANGUAGE plpgsql AS $$
      DECLARE
        hidden text[] := TG_ARGV[0]::text[];
        before jsonb;
        after jsonb;
        names text := '-';
      BEGIN
        IF TG_OP <> 'INSERT' THEN before := to_jsonb(OLD); END IF;
        IF TG_OP <> 'DELETE' THEN after := to_jsonb(NEW); END IF;
        IF hidden <> '{}' THEN
          SELECT string_agg(CASE WHEN TG_OP = 'UPDATE' AND before -> name IS DISTINCT FROM after -> name THEN '*' ELSE '' END || name, ' ')
          INTO names FROM unnest(hidden) AS name;
        END IF;
        RAISE NOTICE USING
          ERRCODE = 'GLT01',
          MESSAGE = coalesce((before - hidden)::text, '-'),
          DETAIL = coalesce((after - hidden)::text, '-'),
          HINT = names,
          TABLE = TG_TABLE_NAME,
          CONSTRAINT = TG_OP;
        RETURN NULL;
      END $$`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP FUNCTION trace_row() CASCADE`);
    await runner.query(`ALTER TABLE live_services DROP COLUMN traces`);
    await runner.query(`DROP TABLE trace_texts`);
    await runner.query(`DROP TABLE traces`);
  }
}
