-- What a call did to rows, told by the database itself.

-- Writes down a row that was inserted, changed or deleted: why a trigger runs for it at all. Those of a service that traces are made when it
-- starts, and do nothing for a connection that does not ask to be told. What is written down is a setting of the transaction that trace_told
-- tells: a line for what happened to a table in one place, and in it, after each carriage return, a row. Nothing is stored, so a transaction
-- that is rolled back leaves nothing, and its connection was told even so. Cost: 6 to 15 µs a row, where a notice for each would cost three
-- times as much; 1 µs where nobody asks. Whether somebody does is looked up here, for the condition of a trigger is read anew by each
-- statement. The triggers of each table have copies of their functions, with expressions that are made ready anew in each transaction: so
-- these have few, and what is alike for all tables is a function of its own.

-- Of a table all of whose columns are public.
CREATE OR REPLACE FUNCTION trace_plain_row() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text;
BEGIN
  IF current_setting('gather_lane.traced', true) = 'on' THEN
    told := trace_write(E'\n' || pg_trigger_depth() || E'\t' || TG_TABLE_NAME || E'\t' || TG_OP || E'\t{}\t',
      E'\r\t' || coalesce(row_to_json(OLD)::text, '-') || E'\t' || coalesce(row_to_json(NEW)::text, '-'));
  END IF;
  RETURN NULL;
END $$;

-- Of any table. The argument names the columns that are not public: they are left out, and those of them named whose value is another now.
CREATE OR REPLACE FUNCTION trace_row() RETURNS trigger LANGUAGE plpgsql AS $$
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
    others := trace_write(concat(E'\n', pg_trigger_depth(), E'\t', TG_TABLE_NAME, E'\t', TG_OP, E'\t', TG_ARGV[0], E'\t'),
      concat(E'\r', others, E'\t', coalesce((before - hidden)::text, '-'), E'\t', coalesce((after - hidden)::text, '-')));
  END IF;
  RETURN NULL;
END $$;

-- Writes down a row (rows), under what it has in common with those of the same place (head): of the place itself only the innermost function
-- is kept, which is after `PL/pgSQL function` or `SQL function`. Lengths are in bytes and places by what is before them, for characters would
-- have to be counted.
CREATE OR REPLACE FUNCTION trace_write(head text, rows text) RETURNS text LANGUAGE plpgsql AS $$
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
END $$;

-- Tells the connection what was written down, when the statement is over in which it was with all that its triggers did; at depth one, and
-- further in where nothing is written down of what is around it, as in what is put off until the commit. What a foreign key takes along is
-- done after the statement's own triggers, at their depth. Cost: a notice, which is sent by itself.
CREATE OR REPLACE FUNCTION trace_told() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text;
BEGIN
  IF current_setting('gather_lane.traced', true) = 'on' AND (pg_trigger_depth() = 1
      OR starts_with(current_setting('gather_lane.told', true), E'\n' || pg_trigger_depth() || E'\t')) THEN
    told := current_setting('gather_lane.told', true);
    IF told <> '' THEN
      RAISE NOTICE SQLSTATE 'GLT02' USING MESSAGE = told;
      told := set_config('gather_lane.told', '', true);
    END IF;
  END IF;
  RETURN NULL;
END $$;
