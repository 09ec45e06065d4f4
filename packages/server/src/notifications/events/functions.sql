-- What happened, for whoever is connected: one row for a statement, written in its transaction.

-- Notes that something of a kind happened to subjects, with one detail for each or none. Where they are too many to be named, nobody is:
-- all who are concerned read afresh. Cost: one row.
CREATE OR REPLACE FUNCTION note_event(kind text, subjects uuid[], details uuid[]) RETURNS void LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  IF cardinality(subjects) > 500 THEN
    INSERT INTO events (kind) VALUES (kind);
  ELSIF cardinality(subjects) > 0 THEN
    INSERT INTO events (kind, subjects, details) VALUES (kind, subjects, details);
  END IF;
END $$;
