-- Whom posts and comments mention, by their spans; who is mentioned no more was told so for nothing. Cost: one probe for each mention.

CREATE OR REPLACE FUNCTION set_post_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
DECLARE
  things uuid[];
  users uuid[];
BEGIN
  WITH gone AS (
    DELETE FROM post_mentions m WHERE m.post_id = ANY (ids)
      AND NOT EXISTS (SELECT FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.post_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text)
    RETURNING m.post_id AS id, m.user_id)
  SELECT array_agg(id), array_agg(user_id) INTO things, users FROM gone;
  IF things IS NOT NULL THEN
    PERFORM end_post_mentions(things, users);
  END IF;
  INSERT INTO post_mentions (post_id, user_id)
  SELECT DISTINCT t.id, u.id FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$;

-- The same for comments.
CREATE OR REPLACE FUNCTION set_comment_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
DECLARE
  things uuid[];
  users uuid[];
BEGIN
  WITH gone AS (
    DELETE FROM comment_mentions m WHERE m.comment_id = ANY (ids)
      AND NOT EXISTS (SELECT FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.comment_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text)
    RETURNING m.comment_id AS id, m.user_id)
  SELECT array_agg(id), array_agg(user_id) INTO things, users FROM gone;
  IF things IS NOT NULL THEN
    PERFORM end_comment_mentions(things, users);
  END IF;
  INSERT INTO comment_mentions (comment_id, user_id)
  SELECT DISTINCT t.id, u.id FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$;

-- A text that is changed by hand-written SQL was not read: what it named is forgotten, and the service reads it within a minute. Whoever
-- reads what they write names `reading` in the same statement. Cost: none unless a body is written.
CREATE OR REPLACE FUNCTION text_is_unread() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  NEW.reading := -abs(NEW.reading);
  RETURN NEW;
END $$;
CREATE OR REPLACE FUNCTION text_is_read() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  NEW.reading := abs(NEW.reading);
  RETURN NEW;
END $$;
CREATE OR REPLACE FUNCTION text_names_nothing() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  NEW.spans := '[]';
  RETURN NEW;
END $$;
CREATE OR REPLACE TRIGGER posts_text_1 BEFORE UPDATE OF body ON posts
  FOR EACH ROW WHEN (OLD.body IS DISTINCT FROM NEW.body) EXECUTE FUNCTION text_is_unread();
CREATE OR REPLACE TRIGGER posts_text_2 BEFORE UPDATE OF reading ON posts
  FOR EACH ROW WHEN (NEW.reading < 0) EXECUTE FUNCTION text_is_read();
CREATE OR REPLACE TRIGGER posts_text_3 BEFORE UPDATE OF body ON posts
  FOR EACH ROW WHEN (NEW.reading <= 0) EXECUTE FUNCTION text_names_nothing();
CREATE OR REPLACE TRIGGER comments_text_1 BEFORE UPDATE OF body ON comments
  FOR EACH ROW WHEN (OLD.body IS DISTINCT FROM NEW.body) EXECUTE FUNCTION text_is_unread();
CREATE OR REPLACE TRIGGER comments_text_2 BEFORE UPDATE OF reading ON comments
  FOR EACH ROW WHEN (NEW.reading < 0) EXECUTE FUNCTION text_is_read();
CREATE OR REPLACE TRIGGER comments_text_3 BEFORE UPDATE OF body ON comments
  FOR EACH ROW WHEN (NEW.reading <= 0) EXECUTE FUNCTION text_names_nothing();
