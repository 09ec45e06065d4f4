-- How the database counts. Each function first takes the tally rows, in the order of their ids and in a statement of its own, so
-- that the snapshot of the next one is taken once they are held: two writers at once wait for each other, and neither is lost.
-- Their plan is fixed: each row that changed is looked up by its keys, however many there are (ONE_PLAN in weighting/standings.ts).

-- Adds to what is counted of users. Cost: one probe and at most one row version for each user.
CREATE OR REPLACE FUNCTION count_users(users uuid[], posts integer[], followers integer[], following integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
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
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
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
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
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
END $$;

-- The same for comments, whose reactions lift nothing: they are shown, and that is all.
CREATE OR REPLACE FUNCTION count_comment_reactions(comments uuid[], kinds text[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  INSERT INTO comment_tallies (comment_id)
  SELECT c.id FROM comments c WHERE c.id = ANY (comments) ORDER BY c.id ON CONFLICT DO NOTHING;
  PERFORM FROM comment_tallies WHERE comment_id = ANY (comments) ORDER BY comment_id FOR NO KEY UPDATE;
  UPDATE comment_tallies t SET reactions = add_counts(t.reactions, d.kinds, d.deltas)
  FROM (SELECT comment_id, array_agg(kind) AS kinds, array_agg(sign) AS deltas
        FROM unnest(comments, kinds, signs) AS a (comment_id, kind, sign) GROUP BY comment_id) d
  WHERE t.comment_id = d.comment_id;
END $$;
