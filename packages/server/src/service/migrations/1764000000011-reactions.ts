import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Reactions on posts and comments, counted by the database as comments are. */
export class Reactions1764000000011 implements MigrationInterface {
  readonly name = 'Reactions1764000000011';

  async up(runner: QueryRunner): Promise<void> {
    for (const [table, thing, target] of [
      ['reactions', 'post_id', 'posts'],
      ['comment_reactions', 'comment_id', 'comments'],
    ] as const) {
      await runner.query(`
        CREATE TABLE ${table} (
          ${thing}    uuid NOT NULL REFERENCES ${target} ON DELETE CASCADE,
          user_id     uuid NOT NULL REFERENCES users ON DELETE CASCADE,
          kind        text NOT NULL CONSTRAINT ${table}_kind CHECK (kind ~ '^[a-z][a-z0-9_]{0,23}$' AND kind <> 'comment'),
          created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
          PRIMARY KEY (${thing}, user_id)
        )`);
      await runner.query(`CREATE INDEX ${table}_user ON ${table} (user_id, ${thing})`);
      await runner.query(`CREATE INDEX ${table}_listed ON ${table} (${thing}, created_at, user_id)`);
    }
    await runner.query(`
      ALTER TABLE post_tallies
        ADD reactions jsonb NOT NULL DEFAULT '{}' CONSTRAINT post_tallies_reactions CHECK (jsonb_typeof(reactions) = 'object'),
        ADD author_reaction text`);
    await runner.query(`COMMENT ON COLUMN post_tallies.reactions IS 'How many reacted with each kind'`);
    await runner.query(
      `COMMENT ON COLUMN post_tallies.author_reaction IS 'The kind by which the author reacted to their own post, which does not lift it'`,
    );
    await runner.query(`
      CREATE TABLE comment_tallies (
        comment_id  uuid PRIMARY KEY REFERENCES comments ON DELETE CASCADE,
        reactions   jsonb NOT NULL DEFAULT '{}' CONSTRAINT comment_tallies_reactions CHECK (jsonb_typeof(reactions) = 'object')
      ) WITH (fillfactor = 70)`);
    await runner.query(
      `COMMENT ON TABLE comment_tallies IS 'Counts about comments; one that nobody ever reacted to has no row'`,
    );
    await runner.query(`
      ALTER TABLE fill_runs ADD reactions integer NOT NULL DEFAULT 0, ADD kinds text[] NOT NULL DEFAULT '{}'`);
    for (const statement of [ADD_COUNTS, PULL, COUNT_REACTIONS, COUNT_COMMENT_REACTIONS, ...TRIGGERS])
      await runner.query(statement);
    await runner.query(`UPDATE weightings SET weights = '{"like": 1000, "dislike": -1000}' || weights WHERE id = 1`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE comment_tallies, comment_reactions, reactions`);
    for (const table of ['reactions', 'comment_reactions'])
      for (const event of ['inserted', 'updated', 'deleted'])
        await runner.query(`DROP FUNCTION after_${table}_${event}`);
    await runner.query(`DROP FUNCTION count_comment_reactions, count_reactions, pull, add_counts`);
    await runner.query(`ALTER TABLE fill_runs DROP reactions, DROP kinds`);
    await runner.query(`ALTER TABLE post_tallies DROP reactions, DROP author_reaction`);
    await runner.query(`UPDATE weightings SET weights = '{"comment": 3000}' WHERE id = 1`);
  }
}

/** The plan of the functions that count, as it was here. */
const ONE_PLAN = `SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off`;

/** Counts by kind with so many more or fewer of each; a kind that nobody is left with goes. */
const ADD_COUNTS = `
CREATE FUNCTION add_counts(counts jsonb, kinds text[], deltas integer[]) RETURNS jsonb LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT coalesce(jsonb_object_agg(kind, n ORDER BY kind), '{}') FROM (
    SELECT kind, sum(n) AS n FROM (
      SELECT key AS kind, value::integer AS n FROM jsonb_each_text(counts)
      UNION ALL SELECT * FROM unnest(kinds, deltas)
    ) each GROUP BY kind HAVING sum(n) <> 0) s
$$`;

/**
 * The two sums of the law of lane time, in thousandths; core's pull is the other. The author's own reaction is left out.
 * Written to be inlined where it is joined: no SET, not VOLATILE.
 */
const PULL = `
CREATE FUNCTION pull(weights jsonb, comment_people integer, reactions jsonb, author_reaction text)
RETURNS TABLE (carrying bigint, holding bigint) LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT coalesce(sum(greatest(each.weighed, 0)), 0)::bigint, coalesce(sum(greatest(-each.weighed, 0)), 0)::bigint
  FROM (
    SELECT value::bigint * CASE WHEN key = 'comment' THEN comment_people
      ELSE coalesce((reactions ->> key)::integer, 0) - (key IS NOT DISTINCT FROM author_reaction)::integer END AS weighed
    FROM jsonb_each_text(weights)
  ) each
$$`;

/**
 * Counts reactions on posts (sign +1) and uncounts them (−1), by kind. A person has one reaction on a post, so counts are
 * of people already. Cost: one row version for each post, whatever the number of reactions.
 */
const COUNT_REACTIONS = `
CREATE FUNCTION count_reactions(posts uuid[], users uuid[], kinds text[], signs integer[])
RETURNS void LANGUAGE plpgsql VOLATILE ${ONE_PLAN} AS $$
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
END $$`;

/** The same for comments, whose reactions lift nothing: they are shown, and that is all. */
const COUNT_COMMENT_REACTIONS = `
CREATE FUNCTION count_comment_reactions(comments uuid[], kinds text[], signs integer[])
RETURNS void LANGUAGE plpgsql VOLATILE ${ONE_PLAN} AS $$
BEGIN
  INSERT INTO comment_tallies (comment_id)
  SELECT c.id FROM comments c WHERE c.id = ANY (comments) ORDER BY c.id ON CONFLICT DO NOTHING;
  PERFORM FROM comment_tallies WHERE comment_id = ANY (comments) ORDER BY comment_id FOR NO KEY UPDATE;
  UPDATE comment_tallies t SET reactions = add_counts(t.reactions, d.kinds, d.deltas)
  FROM (SELECT comment_id, array_agg(kind) AS kinds, array_agg(sign) AS deltas
        FROM unnest(comments, kinds, signs) AS a (comment_id, kind, sign) GROUP BY comment_id) d
  WHERE t.comment_id = d.comment_id;
END $$`;

const SIGNED_ROWS = {
  INSERT: `SELECT n.*, 1 AS sign FROM new_rows n`,
  UPDATE: `SELECT n.*, 1 AS sign FROM new_rows n UNION ALL SELECT o.*, -1 FROM old_rows o`,
  DELETE: `SELECT o.*, -1 AS sign FROM old_rows o`,
};
const TRANSITIONS = {
  INSERT: 'NEW TABLE AS new_rows',
  UPDATE: 'OLD TABLE AS old_rows NEW TABLE AS new_rows',
  DELETE: 'OLD TABLE AS old_rows',
};
const COUNTS = {
  reactions: `PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))`,
  comment_reactions: `PERFORM count_comment_reactions(array_agg(comment_id), array_agg(kind), array_agg(sign))`,
};

const TRIGGERS = (['reactions', 'comment_reactions'] as const).flatMap((table) =>
  (['INSERT', 'UPDATE', 'DELETE'] as const).flatMap((event) => {
    const name = { INSERT: 'inserted', UPDATE: 'updated', DELETE: 'deleted' }[event];
    return [
      `CREATE FUNCTION after_${table}_${name}() RETURNS trigger LANGUAGE plpgsql ${ONE_PLAN} AS $$
       BEGIN ${COUNTS[table]} FROM (${SIGNED_ROWS[event]}) r HAVING count(*) > 0; RETURN NULL; END $$`,
      `CREATE TRIGGER ${table}_${name} AFTER ${event} ON ${table} REFERENCING ${TRANSITIONS[event]}
       FOR EACH STATEMENT EXECUTE FUNCTION after_${table}_${name}()`,
    ];
  }),
);
