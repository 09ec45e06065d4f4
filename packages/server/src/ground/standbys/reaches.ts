/** How far into the log what a statement read reaches at most, on a primary and on a standby; looked up after it, so never before what it saw. */
export const REACHES = `CASE WHEN pg_is_in_recovery() THEN pg_last_wal_replay_lsn() ELSE pg_current_wal_flush_lsn() END::text`;
