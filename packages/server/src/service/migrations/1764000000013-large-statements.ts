import type { MigrationInterface, QueryRunner } from 'typeorm';
import { ONE_PLAN, standFunction } from './1764000000012-weightings.js';

/**
 * The functions that follow a statement over many rows do work in proportion to the rows. They were comparing rows pair by
 * pair, rows as they were with rows as they are, and all rows of a table that had been small with those that changed: an
 * UPDATE of 100,000 posts took 10,000 million comparisons.
 */
export class LargeStatements1764000000013 implements MigrationInterface {
  readonly name = 'LargeStatements1764000000013';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(AFTER_POSTS_UPDATED);
    await runner.query(AFTER_COMMENTS_UPDATED);
    const live = (await runner.query(
      `SELECT id FROM weightings WHERE state IN ('building', 'in-force', 'retired') ORDER BY id`,
    )) as { id: number }[];
    for (const { id } of live) await runner.query(standFunction(id));
    await runner.query(ONE_PLAN_FOR_ALL);
  }

  /** The functions do what they did before, so they stay. */
  async down(): Promise<void> {}
}

/** An edit of the text moves nothing; deleting, restoring and moving in time do. Cost: one sort of the statement's rows. */
const AFTER_POSTS_UPDATED = `
CREATE OR REPLACE FUNCTION after_posts_updated() RETURNS trigger LANGUAGE plpgsql ${ONE_PLAN} AS $$
DECLARE
  moved uuid[];
BEGIN
  SELECT array_agg(id) INTO moved FROM (
    SELECT id FROM (
      SELECT id, author_id, deleted_at IS NULL AS visible, created_at FROM old_rows
      UNION SELECT id, author_id, deleted_at IS NULL, created_at FROM new_rows
    ) both_ways GROUP BY id HAVING count(*) > 1) m;
  IF moved IS NULL THEN
    RETURN NULL;
  END IF;
  PERFORM FROM post_tallies WHERE post_id = ANY (moved) ORDER BY post_id FOR NO KEY UPDATE;
  PERFORM set_standings(moved);
  PERFORM count_users(array_agg(author_id), array_agg(d), array_agg(0), array_agg(0))
  FROM (SELECT author_id, sum(sign)::integer AS d FROM (
          SELECT author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
          UNION ALL SELECT author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
        GROUP BY author_id) r WHERE d <> 0 HAVING count(*) > 0;
  RETURN NULL;
END $$`;

/** A comment that goes, comes back or loses its author is counted so, for the person who wrote it. */
const AFTER_COMMENTS_UPDATED = `
CREATE OR REPLACE FUNCTION after_comments_updated() RETURNS trigger LANGUAGE plpgsql ${ONE_PLAN} AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(d))
  FROM (SELECT post_id, author_id, sum(sign)::integer AS d FROM (
          SELECT post_id, author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
          UNION ALL SELECT post_id, author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
        GROUP BY post_id, author_id) r WHERE d <> 0 HAVING count(*) > 0;
  RETURN NULL;
END $$`;

/** Gives the functions that were made before the plan that they are made with now. */
const ONE_PLAN_FOR_ALL = `
DO $$
DECLARE
  f record;
BEGIN
  FOR f IN SELECT oid::regprocedure AS name FROM pg_proc
    WHERE pronamespace = current_schema()::regnamespace AND 'enable_seqscan=off' = ANY (proconfig)
  LOOP
    EXECUTE format('ALTER FUNCTION %s SET enable_indexscan = off', f.name);
    EXECUTE format('ALTER FUNCTION %s SET enable_indexonlyscan = off', f.name);
  END LOOP;
END $$`;
