-- What a call did to rows, told by the database itself.

-- Tells the connection of a row that was inserted, changed or deleted, and why a trigger runs for it at all: those of a service that
-- traces are made when it starts, for connections that ask to be told. Nothing is stored, so a transaction that is rolled back
-- leaves nothing, and its connection was told even so. The argument names the columns that are not public: they are left out, and
-- only named, with a star where the value is another now. Cost: 15 to 25 µs a row.
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
END $$;
