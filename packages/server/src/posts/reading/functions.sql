-- Whom posts and comments mention, by their spans. Cost: one probe for each mention.

CREATE OR REPLACE FUNCTION set_post_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM post_mentions m WHERE m.post_id = ANY (ids)
    AND NOT EXISTS (SELECT FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.post_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text);
  INSERT INTO post_mentions (post_id, user_id)
  SELECT DISTINCT t.id, u.id FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$;

-- The same for comments.
CREATE OR REPLACE FUNCTION set_comment_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM comment_mentions m WHERE m.comment_id = ANY (ids)
    AND NOT EXISTS (SELECT FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.comment_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text);
  INSERT INTO comment_mentions (comment_id, user_id)
  SELECT DISTINCT t.id, u.id FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$;
