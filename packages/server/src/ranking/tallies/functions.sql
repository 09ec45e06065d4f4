-- How the database counts. Each function first takes the tally rows, in the order of their ids and in a statement of its own, so
-- that the snapshot of the next one is taken once they are held: two writers at once wait for each other, and neither is lost.
-- Their plan is fixed: each row that changed is looked up by its keys, however many there are (ONE_PLAN in weighting/standings.ts).

-- Adds to what is counted of users. Cost: one probe and at most one row version for each user.
CREATE OR REPLACE FUNCTION count_users(users uuid[], posts integer[], followers integer[], following integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM user_tallies WHERE user_id = ANY (users) ORDER BY user_id FOR NO KEY UPDATE;
  UPDATE user_tallies t
  SET posts = t.posts + d.posts, followers = t.followers + d.followers, following = t.following + d.following
  FROM (SELECT user_id, sum(a.posts)::integer AS posts, sum(a.followers)::integer AS followers, sum(a.following)::integer AS following
        FROM unnest(users, posts, followers, following) AS a (user_id, posts, followers, following) GROUP BY user_id) d
  WHERE t.user_id = d.user_id AND (d.posts, d.followers, d.following) <> (0, 0, 0);
END $$;

-- Counts comments (sign 1) and uncounts them (-1): the plain count, and the people, whose number changes only when somebody's n goes
-- from 0 to 1 or back; those whom the author is do not lift their own post. Cost: one probe for each post and person.
CREATE OR REPLACE FUNCTION count_comments(posts uuid[], users uuid[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT post_id, user_id, sum(sign)::integer AS d
    FROM unnest(posts, users, signs) AS a (post_id, user_id, sign) GROUP BY post_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.post_id, a.user_id, a.d, coalesce(c.n, 0) AS n, p.author_id = a.user_id AS own
    FROM acts a
    JOIN posts p ON p.id = a.post_id
    LEFT JOIN post_commenters c ON c.post_id = a.post_id AND c.user_id = a.user_id
  ), gone AS (
    DELETE FROM post_commenters c USING known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE post_commenters c SET n = k.n + k.d FROM known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO post_commenters (post_id, user_id, n)
    SELECT post_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE post_tallies t SET comments = t.comments + s.comments, comment_people = t.comment_people + s.people
  FROM (SELECT post_id, sum(d)::integer AS comments,
               sum(CASE WHEN own THEN 0 WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY post_id) s
  WHERE t.post_id = s.post_id;
  PERFORM set_standings(posts);
  PERFORM note_event('post.counted', array_agg(DISTINCT id), NULL) FROM unnest(posts) AS p (id) HAVING count(*) > 0;
END $$;

-- Counts by kind with so many more or fewer of each; a kind that nobody is left with goes.
CREATE OR REPLACE FUNCTION add_counts(counts jsonb, kinds text[], deltas integer[]) RETURNS jsonb LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT coalesce(jsonb_object_agg(kind, n ORDER BY kind), '{}') FROM (
    SELECT kind, sum(n) AS n FROM (
      SELECT key AS kind, value::integer AS n FROM jsonb_each_text(counts)
      UNION ALL SELECT * FROM unnest(kinds, deltas)
    ) each GROUP BY kind HAVING sum(n) <> 0) s
$$;

-- Counts reactions on posts (sign 1) and uncounts them (-1), by kind. A person has one reaction on a post, so counts are of people
-- already. Cost: one row version for each post, whatever the number of reactions.
CREATE OR REPLACE FUNCTION count_reactions(posts uuid[], users uuid[], kinds text[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT a.post_id, a.kind, sum(a.sign)::integer AS n, bool_or(a.user_id = p.author_id) AS own, p.author_id
    FROM unnest(posts, users, kinds, signs) AS a (post_id, user_id, kind, sign) JOIN posts p ON p.id = a.post_id
    GROUP BY a.post_id, a.kind, p.author_id
  )
  UPDATE post_tallies t
  SET reactions = add_counts(t.reactions, d.kinds, d.deltas),
      author_reaction = CASE WHEN d.own THEN (SELECT r.kind FROM reactions r WHERE r.post_id = t.post_id AND r.user_id = d.author_id) ELSE t.author_reaction END
  FROM (SELECT post_id, author_id, array_agg(kind) AS kinds, array_agg(n) AS deltas, bool_or(own) AS own FROM acts GROUP BY post_id, author_id) d
  WHERE t.post_id = d.post_id;
  PERFORM set_standings(posts);
  PERFORM note_event('post.counted', array_agg(DISTINCT id), NULL) FROM unnest(posts) AS p (id) HAVING count(*) > 0;
END $$;

-- The same for comments, whose reactions lift nothing in feeds: they are shown, and whoever reacted is one more person.
CREATE OR REPLACE FUNCTION count_comment_reactions(comments uuid[], users uuid[], kinds text[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM comment_tallies WHERE comment_id = ANY (comments) ORDER BY comment_id FOR NO KEY UPDATE;
  UPDATE comment_tallies t SET reactions = add_counts(t.reactions, d.kinds, d.deltas)
  FROM (SELECT comment_id, array_agg(kind) AS kinds, array_agg(sign) AS deltas
        FROM unnest(comments, kinds, signs) AS a (comment_id, kind, sign) GROUP BY comment_id) d
  WHERE t.comment_id = d.comment_id;
  PERFORM count_comment_people(comments, users, signs);
END $$;

-- Counts the people who answered or reacted to comments, each once; the author is none of them. The caller holds the tally rows. Cost: one
-- probe for each comment and person.
CREATE OR REPLACE FUNCTION count_comment_people(comments uuid[], users uuid[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  WITH acts AS MATERIALIZED (
    SELECT comment_id, user_id, sum(sign)::integer AS d
    FROM unnest(comments, users, signs) AS a (comment_id, user_id, sign) WHERE user_id IS NOT NULL
    GROUP BY comment_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.comment_id, a.user_id, a.d, coalesce(p.n, 0) AS n
    FROM acts a
    JOIN comments c ON c.id = a.comment_id AND c.author_id IS DISTINCT FROM a.user_id
    LEFT JOIN comment_people p ON p.comment_id = a.comment_id AND p.user_id = a.user_id
  ), gone AS (
    DELETE FROM comment_people p USING known k
    WHERE p.comment_id = k.comment_id AND p.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE comment_people p SET n = k.n + k.d FROM known k
    WHERE p.comment_id = k.comment_id AND p.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO comment_people (comment_id, user_id, n)
    SELECT comment_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE comment_tallies t SET people = t.people + s.people
  FROM (SELECT comment_id, sum(CASE WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY comment_id) s
  WHERE t.comment_id = s.comment_id AND s.people <> 0;
END $$;

-- Takes the tally rows of comments and of all that they stand under, in the order of their ids. Cost: one probe for each level.
CREATE OR REPLACE FUNCTION hold_threads(comments uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM comment_tallies WHERE comment_id IN (
    WITH RECURSIVE up AS (
      SELECT t.comment_id, t.place_id FROM comment_tallies t WHERE t.comment_id = ANY (comments)
      UNION SELECT t.comment_id, t.place_id FROM up JOIN comment_tallies t ON t.comment_id = up.place_id
    ) SELECT comment_id FROM up) ORDER BY comment_id FOR NO KEY UPDATE;
END $$;

-- Adds to how many of the comments that stand directly under another show, or have something below that does; where that is the first or
-- the last of one that does not show itself, it goes on upwards. The caller holds the threads. Cost: one row version for each level.
CREATE OR REPLACE FUNCTION carry_up(comments uuid[], deltas integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
DECLARE
  under uuid[] := comments;
  changes integer[] := deltas;
BEGIN
  WHILE under IS NOT NULL LOOP
    WITH summed AS MATERIALIZED (
      SELECT comment_id, sum(delta)::integer AS n FROM unnest(under, changes) AS a (comment_id, delta) GROUP BY comment_id HAVING sum(delta) <> 0
    ), moved AS (
      UPDATE comment_tallies t SET below = t.below + s.n FROM summed s WHERE t.comment_id = s.comment_id
      RETURNING t.place_id, t.post_id, t.in_sight, t.below AS now, t.below - s.n AS before
    )
    SELECT array_agg(place_id), array_agg(CASE WHEN now > 0 THEN 1 ELSE -1 END) INTO under, changes
    FROM moved WHERE NOT in_sight AND place_id <> post_id AND (before > 0) <> (now > 0);
  END LOOP;
END $$;

-- Counts what comes to stand under comments (replies and shown 1) and what goes (-1): replies, the people who wrote them, and what shows.
-- Cost: that of its parts.
CREATE OR REPLACE FUNCTION count_replies(places uuid[], authors uuid[], replies integer[], shown integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM hold_threads(places);
  UPDATE comment_tallies t SET replies = t.replies + s.n
  FROM (SELECT comment_id, sum(d)::integer AS n FROM unnest(places, replies) AS a (comment_id, d) GROUP BY comment_id HAVING sum(d) <> 0) s
  WHERE t.comment_id = s.comment_id;
  PERFORM count_comment_people(places, authors, replies);
  PERFORM carry_up(places, shown);
END $$;

-- A comment that is removed for good shows no more under the one that it stood under. Cost: that of carry_up.
CREATE OR REPLACE FUNCTION after_comment_tallies_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  places uuid[];
BEGIN
  SELECT array_agg(place_id) INTO places FROM old_rows WHERE place_id <> post_id AND (in_sight OR below > 0);
  IF places IS NOT NULL THEN
    PERFORM hold_threads(places);
    PERFORM carry_up(places, array_fill(-1, ARRAY[cardinality(places)]));
  END IF;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comment_tallies_deleted AFTER DELETE ON comment_tallies
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comment_tallies_deleted();

-- Derives everything that is kept about the comments of posts anew: how deep they stand, and their counts, from the deepest up. For
-- repairs, and for databases from before threads. Cost: some probes for each comment.
CREATE OR REPLACE FUNCTION recount_threads(posts uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  deep integer;
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight)
  SELECT c.id, c.post_id, c.post_id, c.created_at, false FROM comments c WHERE c.post_id = ANY (posts) ORDER BY c.id ON CONFLICT DO NOTHING;
  PERFORM FROM comment_tallies WHERE comment_id IN (SELECT c.id FROM comments c WHERE c.post_id = ANY (posts)) ORDER BY comment_id FOR NO KEY UPDATE;
  WITH RECURSIVE down AS (
    SELECT c.id, 0 AS depth FROM comments c WHERE c.post_id = ANY (posts) AND c.under_id IS NULL
    UNION ALL SELECT c.id, d.depth + 1 FROM down d JOIN comments c ON c.under_id = d.id AND c.post_id = ANY (posts)
  )
  UPDATE comments c SET depth = d.depth FROM down d WHERE c.id = d.id AND c.depth <> d.depth;
  DELETE FROM comment_people p USING comments c WHERE c.id = p.comment_id AND c.post_id = ANY (posts);
  INSERT INTO comment_people (comment_id, user_id, n)
  SELECT comment_id, user_id, count(*) FROM (
    SELECT r.under_id AS comment_id, r.author_id AS user_id FROM comments r
    WHERE r.post_id = ANY (posts) AND r.under_id IS NOT NULL AND r.deleted_at IS NULL
    UNION ALL SELECT a.comment_id, a.user_id FROM comments c JOIN comment_reactions a ON a.comment_id = c.id WHERE c.post_id = ANY (posts)
  ) acts JOIN comments c ON c.id = acts.comment_id AND c.author_id IS DISTINCT FROM acts.user_id
  GROUP BY comment_id, user_id;
  UPDATE comment_tallies t SET place_id = coalesce(c.under_id, c.post_id), created_at = c.created_at, in_sight = c.deleted_at IS NULL, below = 0,
    replies = (SELECT count(*) FROM comments r WHERE r.post_id = c.post_id AND r.under_id = c.id AND r.deleted_at IS NULL),
    people = (SELECT count(*) FROM comment_people p WHERE p.comment_id = c.id),
    reactions = coalesce((SELECT jsonb_object_agg(kind, n) FROM (SELECT kind, count(*) AS n FROM comment_reactions r WHERE r.comment_id = c.id GROUP BY kind) k), '{}')
  FROM comments c WHERE c.id = t.comment_id AND c.post_id = ANY (posts);
  SELECT max(c.depth) INTO deep FROM comments c WHERE c.post_id = ANY (posts);
  FOR level IN REVERSE coalesce(deep, 0) .. 1 LOOP
    UPDATE comment_tallies t SET below = s.n
    FROM (SELECT r.place_id, count(*)::integer AS n FROM comments c JOIN comment_tallies r ON r.comment_id = c.id
          WHERE c.post_id = ANY (posts) AND c.depth = level AND (r.in_sight OR r.below > 0) GROUP BY r.place_id) s
    WHERE t.comment_id = s.place_id;
  END LOOP;
END $$;

-- Whether this transaction counts what it brings in once it is all there. It says so by its own number, which nothing else can have left
-- behind; whoever says so counts it before the end, by count_made_own and count_made_shared, and follows by count_follows. Cost: none.
CREATE OR REPLACE FUNCTION counts_later() RETURNS boolean LANGUAGE sql STABLE AS $$
  SELECT coalesce(current_setting('gather_lane.counts_later', true) = pg_current_xact_id_if_assigned()::text, false)
$$;

-- Counts posts of this transaction with all that belongs to them, comments only in sight, which counted nothing as they came in: here what is
-- kept of them alone, so that nobody else is waited for; then what others' posts move too. Cost: some probes for each post, comment
-- and reaction, and one row of each kind that is kept of them.
CREATE OR REPLACE FUNCTION count_made_own(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  made uuid[] := ARRAY(SELECT c.id FROM comments c WHERE c.post_id = ANY (ids));
BEGIN
  INSERT INTO post_commenters (post_id, user_id, n)
  SELECT c.post_id, c.author_id, count(*) FROM comments c WHERE c.post_id = ANY (ids) GROUP BY c.post_id, c.author_id;
  INSERT INTO post_tallies (post_id, comments, comment_people, reactions, author_reaction)
  SELECT p.id, c.comments, c.people, r.reactions, r.own FROM posts p
  CROSS JOIN LATERAL (
    SELECT coalesce(sum(n), 0)::integer AS comments, count(*) FILTER (WHERE user_id <> p.author_id)::integer AS people
    FROM post_commenters WHERE post_id = p.id) c
  CROSS JOIN LATERAL (
    SELECT coalesce(jsonb_object_agg(kind, n), '{}') AS reactions, max(kind) FILTER (WHERE own) AS own
    FROM (SELECT kind, count(*) AS n, bool_or(user_id = p.author_id) AS own FROM reactions WHERE post_id = p.id GROUP BY kind) k) r
  WHERE p.id = ANY (ids);
  IF made <> '{}' THEN
    INSERT INTO comment_people (comment_id, user_id, n)
    SELECT a.comment_id, a.user_id, count(*) FROM (
      SELECT r.under_id AS comment_id, r.author_id AS user_id FROM comments r WHERE r.post_id = ANY (ids) AND r.under_id IS NOT NULL
      UNION ALL SELECT r.comment_id, r.user_id FROM comment_reactions r WHERE r.comment_id = ANY (made)) a
    JOIN comments c ON c.id = a.comment_id AND c.author_id IS DISTINCT FROM a.user_id
    GROUP BY a.comment_id, a.user_id;
    INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight, below, replies, people, reactions)
    SELECT c.id, c.post_id, coalesce(c.under_id, c.post_id), c.created_at, true, u.n, u.n, p.n, r.reactions FROM comments c
    CROSS JOIN LATERAL (SELECT count(*)::integer AS n FROM comments r WHERE r.post_id = c.post_id AND r.under_id = c.id) u
    CROSS JOIN LATERAL (SELECT count(*)::integer AS n FROM comment_people WHERE comment_id = c.id) p
    CROSS JOIN LATERAL (
      SELECT coalesce(jsonb_object_agg(kind, n), '{}') AS reactions
      FROM (SELECT kind, count(*) AS n FROM comment_reactions WHERE comment_id = c.id GROUP BY kind) k) r
    WHERE c.id = ANY (made);
  END IF;
  PERFORM set_standings(ids);
END $$;

-- The rest: what is counted of people and hashtags, whom they mention, and that they are told of. Cost: one row version for each author and
-- hashtag, and one row for each that a post names.
CREATE OR REPLACE FUNCTION count_made_shared(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_comment_mentions(array_agg(id)) FROM comments WHERE post_id = ANY (ids) AND spans <> '[]' HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, count(*)::integer AS n FROM posts WHERE id = ANY (ids) AND deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r HAVING count(*) > 0;
  PERFORM set_hashtags(array_agg(id)), set_post_mentions(array_agg(id)) FROM posts WHERE id = ANY (ids) AND spans <> '[]' HAVING count(*) > 0;
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM posts WHERE id = ANY (ids) AND deleted_at IS NULL HAVING count(*) > 0;
END $$;
