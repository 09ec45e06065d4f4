import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What tells rows to traces has an expression where it had five: each was made ready anew for each table in each transaction. */
export class FewerTraceExpressions1764000000024 implements MigrationInterface {
  readonly name = 'FewerTraceExpressions1764000000024';

  async up(runner: QueryRunner): Promise<void> {
    for (const sql of TOLD) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    // With the triggers, which a service that traces makes when it starts.
    await runner.query(`DROP FUNCTION trace_plain_row(), trace_row(), trace_told() CASCADE`);
    await runner.query(`DROP FUNCTION trace_write(text, text)`);
    for (const sql of TOLD_BEFORE) await runner.query(sql);
  }
}

const TOLD = [
  `CREATE OR REPLACE FUNCTION trace_plain_row() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text;
BEGIN
  IF current_setting('gather_lane.traced', true) = 'on' THEN
    told := trace_write(E'\\n' || pg_trigger_depth() || E'\\t' || TG_TABLE_NAME || E'\\t' || TG_OP || E'\\t{}\\t',
      E'\\r\\t' || coalesce(row_to_json(OLD)::text, '-') || E'\\t' || coalesce(row_to_json(NEW)::text, '-'));
  END IF;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION trace_row() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  hidden text[];
  before jsonb;
  after jsonb;
  others text;
BEGIN
  IF current_setting('gather_lane.traced', true) = 'on' THEN
    hidden := TG_ARGV[0];
    before := to_jsonb(OLD);
    after := to_jsonb(NEW);
    IF TG_OP = 'UPDATE' THEN
      SELECT string_agg(name, ',') INTO others FROM unnest(hidden) AS name WHERE before -> name IS DISTINCT FROM after -> name;
    END IF;
    others := trace_write(concat(E'\\n', pg_trigger_depth(), E'\\t', TG_TABLE_NAME, E'\\t', TG_OP, E'\\t', TG_ARGV[0], E'\\t'),
      concat(E'\\r', others, E'\\t', coalesce((before - hidden)::text, '-'), E'\\t', coalesce((after - hidden)::text, '-')));
  END IF;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION trace_write(head text, rows text) RETURNS text LANGUAGE plpgsql AS $$
DECLARE
  told text := current_setting('gather_lane.told', true);
  place text;
BEGIN
  IF told = '' OR octet_length(told) > 30000 OR current_setting('gather_lane.told_of', true) <> head THEN
    IF octet_length(told) > 30000 THEN
      RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
      told := '';
    END IF;
    GET DIAGNOSTICS place = PG_CONTEXT;
    told := told || head || split_part(split_part(split_part(split_part(place, '_row() line ', 2), 'SQL function ', 2), '(', 1), '" ', 1);
    place := set_config('gather_lane.told_of', head, true);
  END IF;
  RETURN set_config('gather_lane.told', told || rows, true);
END $$`,
  `CREATE OR REPLACE FUNCTION trace_told() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text;
BEGIN
  IF current_setting('gather_lane.traced', true) = 'on' AND (pg_trigger_depth() = 1
      OR starts_with(current_setting('gather_lane.told', true), E'\\n' || pg_trigger_depth() || E'\\t')) THEN
    told := current_setting('gather_lane.told', true);
    IF told <> '' THEN
      RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
      told := set_config('gather_lane.told', '', true);
    END IF;
  END IF;
  RETURN NULL;
END $$`,
];

const TOLD_BEFORE = [
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
