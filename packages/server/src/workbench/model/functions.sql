-- What the developer's own lineage of migrations needs of the database.

-- A value as another type has it, or NULL where it cannot be: a change of type looks first. Cost: one block with an exception handler
-- for each value.
CREATE OR REPLACE FUNCTION try_cast(value text, wanted regtype) RETURNS text LANGUAGE plpgsql STABLE AS $$
DECLARE
  result text;
BEGIN
  EXECUTE format('SELECT ($1::%s)::text', wanted) INTO result USING value;
  RETURN result;
EXCEPTION WHEN data_exception THEN
  RETURN NULL;
END $$;
