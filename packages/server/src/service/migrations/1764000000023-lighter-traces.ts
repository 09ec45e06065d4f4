import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * What tells rows to traces counts bytes, not characters, keeps of the place of each but the function, and looks itself whether it is asked to. As the condition of a trigger that was
 * read anew by each statement.
 */
export class LighterTraces1764000000023 implements MigrationInterface {
  readonly name = 'LighterTraces1764000000023';

  async up(runner: QueryRunner): Promise<void> {
    for (const sql of TOLD) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    // With the triggers, which a service that traces makes when it starts.
    await runner.query(`DROP FUNCTION trace_row(), trace_told() CASCADE`);
    for (const sql of TOLD_BEFORE) await runner.query(sql);
  }
}

const TOLD = [
  `CREATE OR REPLACE FUNCTION trace_row() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text;
  here text;
  place text;
  pl integer;
  sql integer;
  before jsonb;
  after jsonb;
  other text;
BEGIN
  IF current_setting('gather_lane.traced', true) IS DISTINCT FROM 'on' THEN
    RETURN NULL;
  END IF;
  told := current_setting('gather_lane.told', true);
  here := concat(E'\\n', pg_trigger_depth(), E'\\t', TG_TABLE_NAME, E'\\t', TG_OP, E'\\t', TG_ARGV[0], E'\\t');
  IF told = '' OR octet_length(told) > 30000 OR current_setting('gather_lane.told_of', true) <> here THEN
    IF octet_length(told) > 30000 THEN
      RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
      told := '';
    END IF;
    GET DIAGNOSTICS place = PG_CONTEXT;
    place := substr(place, strpos(place || E'\\n', E'\\n'));
    pl := strpos(place, E'\\nPL/pgSQL function ');
    sql := strpos(place, E'\\nSQL function "');
    told := concat(told, here, CASE
      WHEN pl > 0 AND (sql = 0 OR pl < sql) THEN split_part(substr(place, pl + 19, 80), '(', 1)
      WHEN sql > 0 THEN split_part(substr(place, sql + 15, 80), '"', 1) END);
    place := set_config('gather_lane.told_of', here, true);
  END IF;
  IF TG_OP = 'INSERT' THEN
    told := set_config('gather_lane.told', concat(told, E'\\r\\t-\\t',
      CASE TG_ARGV[0] WHEN '{}' THEN row_to_json(NEW)::text ELSE (to_jsonb(NEW) - TG_ARGV[0]::text[])::text END), true);
  ELSIF TG_OP = 'DELETE' THEN
    told := set_config('gather_lane.told', concat(told, E'\\r\\t',
      CASE TG_ARGV[0] WHEN '{}' THEN row_to_json(OLD)::text ELSE (to_jsonb(OLD) - TG_ARGV[0]::text[])::text END, E'\\t-'), true);
  ELSIF TG_ARGV[0] = '{}' THEN
    told := set_config('gather_lane.told', concat(told, E'\\r\\t', row_to_json(OLD), E'\\t', row_to_json(NEW)), true);
  ELSE
    before := to_jsonb(OLD);
    after := to_jsonb(NEW);
    SELECT string_agg(name, ',') INTO other FROM unnest(TG_ARGV[0]::text[]) AS name WHERE before -> name IS DISTINCT FROM after -> name;
    told := set_config('gather_lane.told', concat(told, E'\\r', other, E'\\t', before - TG_ARGV[0]::text[], E'\\t', after - TG_ARGV[0]::text[]), true);
  END IF;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION trace_told() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text;
BEGIN
  IF current_setting('gather_lane.traced', true) IS DISTINCT FROM 'on' THEN
    RETURN NULL;
  END IF;
  told := current_setting('gather_lane.told', true);
  IF told <> '' AND (pg_trigger_depth() = 1 OR starts_with(told, concat(E'\\n', pg_trigger_depth(), E'\\t'))) THEN
    RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
    told := set_config('gather_lane.told', '', true);
  END IF;
  RETURN NULL;
END $$`,
];

const TOLD_BEFORE = [
  `CREATE OR REPLACE FUNCTION trace_row() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
DECLARE
  told text := current_setting('gather_lane.told', true);
  here text := concat(E'\\n', pg_trigger_depth(), E'\\t', TG_TABLE_NAME, E'\\t', TG_OP, E'\\t', TG_ARGV[0], E'\\t');
  place text;
  before jsonb;
  after jsonb;
  other text;
BEGIN
  IF told = '' OR length(told) > 30000 OR current_setting('gather_lane.told_of', true) <> here THEN
    IF length(told) > 30000 THEN
      RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
      told := '';
    END IF;
    GET DIAGNOSTICS place = PG_CONTEXT;
    told := concat(told, here, replace(replace(place, E'\\r', ' '), E'\\n', E'\\f'));
    place := set_config('gather_lane.told_of', here, true);
  END IF;
  IF TG_OP = 'INSERT' THEN
    told := set_config('gather_lane.told', concat(told, E'\\r\\t-\\t',
      CASE TG_ARGV[0] WHEN '{}' THEN row_to_json(NEW)::text ELSE (to_jsonb(NEW) - TG_ARGV[0]::text[])::text END), true);
  ELSIF TG_OP = 'DELETE' THEN
    told := set_config('gather_lane.told', concat(told, E'\\r\\t',
      CASE TG_ARGV[0] WHEN '{}' THEN row_to_json(OLD)::text ELSE (to_jsonb(OLD) - TG_ARGV[0]::text[])::text END, E'\\t-'), true);
  ELSIF TG_ARGV[0] = '{}' THEN
    told := set_config('gather_lane.told', concat(told, E'\\r\\t', row_to_json(OLD), E'\\t', row_to_json(NEW)), true);
  ELSE
    before := to_jsonb(OLD);
    after := to_jsonb(NEW);
    SELECT string_agg(name, ',') INTO other FROM unnest(TG_ARGV[0]::text[]) AS name WHERE before -> name IS DISTINCT FROM after -> name;
    told := set_config('gather_lane.told', concat(told, E'\\r', other, E'\\t', before - TG_ARGV[0]::text[], E'\\t', after - TG_ARGV[0]::text[]), true);
  END IF;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION trace_told() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
DECLARE
  told text := current_setting('gather_lane.told', true);
BEGIN
  IF told <> '' AND (pg_trigger_depth() = 1 OR starts_with(told, concat(E'\\n', pg_trigger_depth(), E'\\t'))) THEN
    RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
    told := set_config('gather_lane.told', '', true);
  END IF;
  RETURN NULL;
END $$`,
];
