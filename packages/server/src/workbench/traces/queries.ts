/** Says that a process is there. Cost: one look-up in the key. */
export const SEEN = `
  INSERT INTO trace_processes (id) VALUES ($1) ON CONFLICT (id) DO UPDATE SET seen_at = clock_timestamp()`;
export const GONE = `DELETE FROM trace_processes WHERE id = $1 OR seen_at < clock_timestamp() - interval '1 minute'`;
/** The other processes that trace calls. Cost: one pass over as many rows. */
export const PEERS = `SELECT id FROM trace_processes WHERE id <> $1 AND seen_at > clock_timestamp() - interval '3 seconds'`;

export const ASK = `INSERT INTO trace_questions (id, asker, question) VALUES ($1, $2, $3)`;
/** What a process has not answered yet. Cost: the questions of the last seconds, by their index; mostly none. */
export const OPEN_QUESTIONS = `
  SELECT q.id, q.question FROM trace_questions q
  WHERE q.asked_at > clock_timestamp() - interval '5 seconds' AND q.asker <> $1
    AND NOT EXISTS (SELECT FROM trace_answers a WHERE a.question_id = q.id AND a.process = $1)`;
export const ANSWER = `INSERT INTO trace_answers (question_id, process, answer) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING`;
/** What was answered so far. Cost: one look-up in the key. */
export const ANSWERS = `SELECT answer FROM trace_answers WHERE question_id = $1`;
/** A question that is done with, and those that nobody waits for any more. */
export const FORGET_QUESTIONS = `
  WITH done AS (DELETE FROM trace_questions WHERE id = $1 OR asked_at < clock_timestamp() - interval '1 minute' RETURNING id)
  DELETE FROM trace_answers WHERE question_id IN (SELECT id FROM done)`;

/** The schema in which the database counts statements itself; no row where it does not. */
export const COUNTED_IN = `
  SELECT quote_ident(n.nspname) AS schema FROM pg_extension e JOIN pg_namespace n ON n.oid = e.extnamespace
  WHERE e.extname = 'pg_stat_statements' AND current_setting('shared_preload_libraries') LIKE '%pg_stat_statements%'`;

/** The statements that took longest in all, of this database, as PostgreSQL counted them. Cost: one pass over what it counts. */
export const slowest = (schema: string): string => `
  SELECT query AS text, calls::integer, mean_exec_time::real AS "meanMs", max_exec_time::real AS "longestMs", rows::integer AS rows
  FROM ${schema}.pg_stat_statements
  WHERE dbid = (SELECT oid FROM pg_database WHERE datname = current_database()) AND query ~* '^\\s*(SELECT|WITH|INSERT|UPDATE|DELETE)'
    AND query !~ '(trace_processes|trace_questions|trace_answers|pg_stat_statements|pg_trigger)'
  ORDER BY total_exec_time DESC LIMIT 20`;

/** Rows of each table, as PostgreSQL last estimated them. */
export const SIZES = `
  SELECT relname AS name, greatest(reltuples, 0)::integer AS rows FROM pg_class
  WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace`;

/** The columns of primary keys, by table. */
export const PRIMARY_KEYS = `
  SELECT c.relname AS name, array_agg(a.attname::text ORDER BY array_position(i.indkey::int2[], a.attnum)) AS columns
  FROM pg_index i JOIN pg_class c ON c.oid = i.indrelid JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = ANY (i.indkey)
  WHERE i.indisprimary AND c.relnamespace = 'public'::regnamespace GROUP BY c.relname`;

/** The foreign keys by which rows go, or lose what they refer to, with those that they refer to. */
export const FOREIGN_KEYS = `
  SELECT k.conname AS name, c.relname AS table, r.relname AS "refersTo",
    (SELECT array_agg(a.attname::text ORDER BY n) FROM unnest(k.conkey) WITH ORDINALITY AS u (attnum, n) JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = u.attnum) AS columns,
    (SELECT array_agg(a.attname::text ORDER BY n) FROM unnest(k.confkey) WITH ORDINALITY AS u (attnum, n) JOIN pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = u.attnum) AS referenced
  FROM pg_constraint k JOIN pg_class c ON c.oid = k.conrelid JOIN pg_class r ON r.oid = k.confrelid
  WHERE k.contype = 'f' AND k.confdeltype IN ('c', 'n', 'd') AND k.connamespace = 'public'::regnamespace`;
