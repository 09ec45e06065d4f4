-- Where a post stands. The function stand_N of each live weighting is made with it: standFunction in standings.ts.

-- The law of lane time: the instant of a post, later by one half-life for each doubling of its lift; core's laneTime is the other. Written
-- to be inlined: no SET.
CREATE OR REPLACE FUNCTION lane_time(created_at timestamp with time zone, half_life_ms bigint, base bigint, carrying bigint, holding bigint) RETURNS timestamp with time zone LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT created_at + floor(half_life_ms * (ln((base + carrying)::float8 / (base + holding)::float8) / ln(2::float8)) + 0.5) * interval '1 millisecond'
$$;

-- The two sums of the law, in thousandths; core's pull is the other. The author's own reaction is left out. Written to be inlined where it
-- is joined: no SET, not VOLATILE.
CREATE OR REPLACE FUNCTION pull(weights jsonb, comment_people integer, reactions jsonb, author_reaction text) RETURNS TABLE(carrying bigint, holding bigint) LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT coalesce(sum(greatest(each.weighed, 0)), 0)::bigint, coalesce(sum(greatest(-each.weighed, 0)), 0)::bigint
  FROM (
    SELECT value::bigint * CASE WHEN key = 'comment' THEN comment_people
      ELSE coalesce((reactions ->> key)::integer, 0) - (key IS NOT DISTINCT FROM author_reaction)::integer END AS weighed
    FROM jsonb_each_text(weights)
  ) each
$$;

-- Sets the standings of posts under every live weighting: that in force at once; for one that is being built the posts are noted; from
-- those that were in force until lately what is out of sight is taken away, and nothing else. Which is which is read after the lock, in a
-- statement of its own, so that a writer who waited for a change sees it. The caller holds the tally rows. Cost: one probe of posts,
-- post_tallies and the standings for each post.
CREATE OR REPLACE FUNCTION set_standings(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  w record;
BEGIN
  PERFORM pg_advisory_xact_lock_shared(hashtext('gather-lane standings'));
  FOR w IN SELECT id, state FROM weightings WHERE state IN ('in-force', 'building', 'retired') LOOP
    IF w.state = 'in-force' THEN
      EXECUTE format('SELECT stand_%s($1, true)', w.id) USING ids;
    ELSIF w.state = 'building' THEN
      INSERT INTO restand (post_id) SELECT DISTINCT id FROM unnest(ids) AS i (id) ORDER BY id ON CONFLICT DO NOTHING;
    ELSE
      EXECUTE format('DELETE FROM standings_%s s WHERE s.post_id = ANY ($1) AND NOT EXISTS (SELECT FROM posts p WHERE p.id = s.post_id AND p.deleted_at IS NULL)', w.id) USING ids;
    END IF;
  END LOOP;
END $$;
