-- What a call did to rows, told by the database itself.

-- Writes down a row that was inserted, changed or deleted, and why a trigger runs for it at all: those of a service that traces are made
-- when it starts, and do nothing for a connection that does not ask to be told. What is written down is a setting of the transaction that
-- trace_told tells: a line for what happened to a table in one place, and in it, after each carriage return, a row. Nothing is stored, so a
-- transaction that is rolled back leaves nothing, and its connection was told even so. The argument names the columns that are not public:
-- they are left out, and those of them named whose value is another now. Cost: 10 to 25 µs a row, where a notice for each would cost three
-- times as much; 1 µs where nobody asks. That is looked up here, and not as the condition of the trigger, which each statement would read
-- anew; the length is that in bytes, for characters would have to be counted; and of the place only the innermost function is kept.
CREATE OR REPLACE FUNCTION trace_row() RETURNS trigger LANGUAGE plpgsql AS $$
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
  here := concat(E'\n', pg_trigger_depth(), E'\t', TG_TABLE_NAME, E'\t', TG_OP, E'\t', TG_ARGV[0], E'\t');
  IF told = '' OR octet_length(told) > 30000 OR current_setting('gather_lane.told_of', true) <> here THEN
    IF octet_length(told) > 30000 THEN
      RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
      told := '';
    END IF;
    GET DIAGNOSTICS place = PG_CONTEXT;
    place := substr(place, strpos(place || E'\n', E'\n'));
    pl := strpos(place, E'\nPL/pgSQL function ');
    sql := strpos(place, E'\nSQL function "');
    told := concat(told, here, CASE
      WHEN pl > 0 AND (sql = 0 OR pl < sql) THEN split_part(substr(place, pl + 19, 80), '(', 1)
      WHEN sql > 0 THEN split_part(substr(place, sql + 15, 80), '"', 1) END);
    place := set_config('gather_lane.told_of', here, true);
  END IF;
  IF TG_OP = 'INSERT' THEN
    told := set_config('gather_lane.told', concat(told, E'\r\t-\t',
      CASE TG_ARGV[0] WHEN '{}' THEN row_to_json(NEW)::text ELSE (to_jsonb(NEW) - TG_ARGV[0]::text[])::text END), true);
  ELSIF TG_OP = 'DELETE' THEN
    told := set_config('gather_lane.told', concat(told, E'\r\t',
      CASE TG_ARGV[0] WHEN '{}' THEN row_to_json(OLD)::text ELSE (to_jsonb(OLD) - TG_ARGV[0]::text[])::text END, E'\t-'), true);
  ELSIF TG_ARGV[0] = '{}' THEN
    told := set_config('gather_lane.told', concat(told, E'\r\t', row_to_json(OLD), E'\t', row_to_json(NEW)), true);
  ELSE
    before := to_jsonb(OLD);
    after := to_jsonb(NEW);
    SELECT string_agg(name, ',') INTO other FROM unnest(TG_ARGV[0]::text[]) AS name WHERE before -> name IS DISTINCT FROM after -> name;
    told := set_config('gather_lane.told', concat(told, E'\r', other, E'\t', before - TG_ARGV[0]::text[], E'\t', after - TG_ARGV[0]::text[]), true);
  END IF;
  RETURN NULL;
END $$;

-- Tells the connection what was written down, when the statement is over in which it was with all that its triggers did; at depth one, and
-- further in where nothing is written down of what is around it, as in what is put off until the commit. What a foreign key takes along is
-- done after the statement's own triggers, at their depth. Cost: a notice, which is sent by itself.
CREATE OR REPLACE FUNCTION trace_told() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text;
BEGIN
  IF current_setting('gather_lane.traced', true) IS DISTINCT FROM 'on' THEN
    RETURN NULL;
  END IF;
  told := current_setting('gather_lane.told', true);
  IF told <> '' AND (pg_trigger_depth() = 1 OR starts_with(told, concat(E'\n', pg_trigger_depth(), E'\t'))) THEN
    RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
    told := set_config('gather_lane.told', '', true);
  END IF;
  RETURN NULL;
END $$;
