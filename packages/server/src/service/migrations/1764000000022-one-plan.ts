import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Functions that every write calls keep one plan for a session, where it was left to their first five calls whether each is planned anew:
 * a lone post cost more than twice as much where those were lone posts too. And rows are told to traces together, not one by one.
 */
export class OnePlan1764000000022 implements MigrationInterface {
  readonly name = 'OnePlan1764000000022';

  async up(runner: QueryRunner): Promise<void> {
    for (const planned of [...PLANNED, ...(await standing(runner))])
      await runner.query(`ALTER FUNCTION ${planned} SET plan_cache_mode = force_generic_plan`);
    for (const sql of TOLD) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP FUNCTION trace_told() CASCADE`);
    await runner.query(TOLD_BEFORE);
    for (const planned of [...PLANNED, ...(await standing(runner))])
      await runner.query(`ALTER FUNCTION ${planned} RESET plan_cache_mode`);
  }
}

/** The functions that set the standings of each weighting that has any. */
async function standing(runner: QueryRunner): Promise<string[]> {
  const found = (await runner.query(
    `SELECT oid::regprocedure::text AS name FROM pg_proc WHERE pronamespace = 'public'::regnamespace AND proname ~ '^stand_\\d+$'`,
  )) as { name: string }[];
  return found.map(({ name }) => name);
}

const PLANNED = [
  'carry_up',
  'count_comment_people',
  'count_comment_reactions',
  'count_comments',
  'count_hashtags',
  'count_reactions',
  'count_replies',
  'count_users',
  'end_acts',
  'hold_notifications',
  'hold_threads',
  'set_comment_mentions',
  'set_hashtags',
  'set_post_mentions',
];

const TOLD = [
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

const TOLD_BEFORE = `
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
      END $$`;
