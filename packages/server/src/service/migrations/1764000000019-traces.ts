import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What calls did: their traces, and how the database tells of rows. */
export class Traces1764000000019 implements MigrationInterface {
  readonly name = 'Traces1764000000019';

  async up(runner: QueryRunner): Promise<void> {
    // What a crash may take along: nobody's data.
    await runner.query(`
      CREATE UNLOGGED TABLE trace_processes (
        id uuid PRIMARY KEY,
        seen_at timestamptz(3) NOT NULL DEFAULT clock_timestamp())`);
    await runner.query(`
      CREATE UNLOGGED TABLE trace_questions (
        id uuid PRIMARY KEY,
        asker uuid NOT NULL,
        question text NOT NULL,
        asked_at timestamptz(3) NOT NULL DEFAULT clock_timestamp())`);
    await runner.query(`CREATE INDEX trace_questions_asked ON trace_questions (asked_at)`);
    await runner.query(`
      CREATE UNLOGGED TABLE trace_answers (
        question_id uuid NOT NULL,
        process uuid NOT NULL,
        answer text NOT NULL,
        PRIMARY KEY (question_id, process))`);
    await runner.query(`
      CREATE OR REPLACE FUNCTION trace_row() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
      DECLARE
        hidden text[] := TG_ARGV[0]::text[];
        before jsonb;
        after jsonb;
        names text := '-';
      BEGIN
        IF TG_OP <> 'INSERT' THEN before := to_jsonb(OLD); END IF;
        IF TG_OP <> 'DELETE' THEN after := to_jsonb(NEW); END IF;
        IF hidden <> '{}' AND TG_OP <> 'UPDATE' THEN
    names := array_to_string(hidden, ' ');
  ELSIF hidden <> '{}' THEN
          SELECT string_agg(CASE WHEN before -> name IS DISTINCT FROM after -> name THEN '*' ELSE '' END || name, ' ')
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
    await runner.query(`DROP TABLE trace_answers`);
    await runner.query(`DROP TABLE trace_questions`);
    await runner.query(`DROP TABLE trace_processes`);
  }
}
