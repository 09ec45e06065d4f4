/** Keeps traces, each a column of arrays. Cost: a row and three index entries each. */
export const KEEP_TRACES = `
  INSERT INTO traces (id, process, started_at, method, route, caller, user_id, handle, status, ms, statements, rows, warnings, rehearsed, bytes, body)
  SELECT t.id, $1, t.started_at, t.method, t.route, t.caller, t.user_id, t.handle, t.status, t.ms, t.statements, t.rows, t.warnings, t.rehearsed, octet_length(t.body), t.body
  FROM unnest($2::uuid[], $3::timestamptz[], $4::text[], $5::text[], $6::text[], $7::uuid[], $8::text[], $9::integer[], $10::real[],
              $11::integer[], $12::integer[], $13::integer[], $14::boolean[], $15::text[])
    AS t (id, started_at, method, route, caller, user_id, handle, status, ms, statements, rows, warnings, rehearsed, body)
  ON CONFLICT (id) DO NOTHING`;

/** Keeps texts that traces name. Cost: one look-up in the key each, once an hour for each text and process. */
export const KEEP_TEXTS = `
  INSERT INTO trace_texts (hash, text) SELECT t.hash, t.text FROM unnest($1::text[], $2::text[]) AS t (hash, text) ORDER BY 1
  ON CONFLICT (hash) DO UPDATE SET seen_at = clock_timestamp()`;

/**
 * Forgets the oldest traces of a process beyond so many ($2) or so many bytes ($3). Cost: one pass over the index of its traces, newest
 * first; once in so many that were kept.
 */
export const FORGET_BEYOND = `
  DELETE FROM traces WHERE process = $1 AND n <= (
    SELECT max(n) FROM (
      SELECT n, row_number() OVER newest AS place, sum(bytes) OVER newest AS total
      FROM traces WHERE process = $1 WINDOW newest AS (ORDER BY n DESC)) AS ring
    WHERE place > $2 OR total > $3)`;

/** Forgets what nobody keeps in bounds any more: traces of a day ago, and texts that no newer one names. */
export const FORGET_OLD_TRACES = `DELETE FROM traces WHERE started_at < clock_timestamp() - interval '1 day'`;
export const FORGET_OLD_TEXTS = `DELETE FROM trace_texts WHERE seen_at < clock_timestamp() - interval '2 days'`;

/** One trace. Cost: one look-up in its unique index. */
export const FIND_TRACE = `SELECT body FROM traces WHERE id = $1`;
/** The texts that one names. Cost: one look-up in the key each. */
export const FIND_TEXTS = `SELECT hash, text FROM trace_texts WHERE hash = ANY ($1)`;

/** What a page of the list is chosen by; null leaves a column as it is. */
const CHOSEN = `
  ($3::text IS NULL OR t.method = $3) AND ($4::text IS NULL OR t.route = $4)
  AND ($5::text IS NULL OR t.caller = $5) AND ($6::text IS NULL OR t.handle = $6)
  AND ($7::integer IS NULL OR t.status = $7) AND ($8::integer IS NULL OR t.status / 100 = $8)
  AND ($9::real IS NULL OR t.ms >= $9) AND ($10::integer IS NULL OR t.rows >= $10) AND ($11::integer IS NULL OR t.warnings >= $11)`;

/** The calls of every process, the latest first. Cost: one pass over the index by time until a page is full; the store is bounded. */
export const LIST_TRACES = `
  SELECT t.id, t.started_at, t.method, t.route, t.caller, t.user_id, t.handle, t.status, t.ms, t.statements, t.rows, t.warnings, t.rehearsed
  FROM traces t
  WHERE ($1::timestamptz IS NULL OR (t.started_at, t.id) < ($1::timestamptz, $2::uuid)) AND ${CHOSEN}
  ORDER BY t.started_at DESC, t.id DESC LIMIT $12`;

/** How long calls of each route took, of the last so many seconds ($1). Cost: one pass over the traces of that time. */
export const BY_ROUTE = `
  SELECT method, route, count(*)::integer AS calls,
    (count(*) FILTER (WHERE status >= 500 OR status IS NULL))::integer AS failed,
    (count(*) FILTER (WHERE status >= 400 AND status < 500))::integer AS refused,
    percentile_disc(ARRAY[0.5, 0.95, 0.99]) WITHIN GROUP (ORDER BY ms) AS quantiles, sum(ms)::real AS total
  FROM traces WHERE started_at > clock_timestamp() - make_interval(secs => $1) AND NOT rehearsed
  GROUP BY method, route ORDER BY calls DESC, route, method LIMIT 50`;

/** Calls in each of thirty parts of the last so many seconds ($1), the oldest first. Cost: as above. */
export const OVER_TIME = `
  SELECT s.part, count(t.n)::integer AS calls, (count(t.n) FILTER (WHERE t.status >= 400 OR t.status IS NULL))::integer AS errors
  FROM generate_series(0, 29) AS s (part)
  LEFT JOIN (SELECT n, status, floor(extract(epoch FROM clock_timestamp() - started_at) / ($1 / 30.0)) AS ago
             FROM traces WHERE started_at > clock_timestamp() - make_interval(secs => $1) AND NOT rehearsed) AS t ON t.ago = 29 - s.part
  GROUP BY s.part ORDER BY s.part`;

/** Since when there are traces at all, within so many seconds ($1). */
export const SINCE = `
  SELECT min(started_at) AS since, count(*)::integer AS calls FROM traces
  WHERE started_at > clock_timestamp() - make_interval(secs => $1) AND NOT rehearsed`;

/** The schema in which the database counts statements itself; no row where it does not. */
export const COUNTED_IN = `
  SELECT quote_ident(n.nspname) AS schema FROM pg_extension e JOIN pg_namespace n ON n.oid = e.extnamespace
  WHERE e.extname = 'pg_stat_statements' AND current_setting('shared_preload_libraries') LIKE '%pg_stat_statements%'`;

/** The statements that took longest in all, of this database, as PostgreSQL counted them. Cost: one pass over what it counts. */
export const slowest = (schema: string): string => `
  SELECT query AS text, calls::integer, mean_exec_time::real AS "meanMs", max_exec_time::real AS "longestMs", rows::integer AS rows
  FROM ${schema}.pg_stat_statements
  WHERE dbid = (SELECT oid FROM pg_database WHERE datname = current_database()) AND query ~* '^\\s*(SELECT|WITH|INSERT|UPDATE|DELETE)'
    AND query !~ '(trace_texts|INTO traces|FROM traces|pg_stat_statements|pg_trigger)'
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
