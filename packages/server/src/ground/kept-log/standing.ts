import type { DataSource } from 'typeorm';

/**
 * How the server does that copies its log; no row where it does not. What waits is the log beyond the last part that was copied (its name
 * says where it begins), or from the first on that never could be. Cost: one row of counters in memory.
 */
const STANDING = `
  SELECT a.archived_count::integer AS copied, a.failed_count::integer AS failed, a.last_failed_wal AS "failedPart",
    CASE WHEN a.last_failed_time > coalesce(a.last_archived_time, '-infinity') THEN coalesce(a.last_archived_time, a.stats_reset) END AS "failingSince",
    greatest(0, pg_current_wal_lsn() - '0/0' - s.size * (
      ('x' || substr(p.part, 9, 8))::bit(32)::bigint * (4294967296 / s.size) + ('x' || substr(p.part, 17, 8))::bit(32)::bigint + p.whole))::double precision AS waiting
  FROM pg_stat_archiver a
    CROSS JOIN (SELECT setting::bigint AS size FROM pg_settings WHERE name = 'wal_segment_size') s
    LEFT JOIN LATERAL (
      SELECT part, whole FROM (VALUES (a.last_archived_wal, 1), (a.last_failed_wal, 0)) AS v (part, whole) WHERE part ~ '^[0-9A-F]{24}$' LIMIT 1) p ON true
  WHERE current_setting('archive_mode') <> 'off' AND NOT pg_is_in_recovery()`;

/** How the copying of the log stands. */
export interface LogStanding {
  /** How many parts were copied, and how often that failed, since the server counts. */
  readonly copied: number;
  readonly failed: number;
  readonly failedPart: string | null;
  /** Since when nothing was copied, where the last attempt failed; null where it did not. */
  readonly failingSince: Date | null;
  /** How much of the log is not copied yet, in bytes; null where none was tried yet. */
  readonly waiting: number | null;
}

/** How the copying of the log stands; null where the server copies none. */
export async function logStanding(dataSource: DataSource): Promise<LogStanding | null> {
  const [row] = await dataSource.query<LogStanding[]>(STANDING);
  return row ?? null;
}
