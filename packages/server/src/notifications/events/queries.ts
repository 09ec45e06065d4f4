import { prepared } from '../../ground/database/prepared.js';

/** More than so many at once are not told one by one. */
export const MOST_EVENTS = 5_000;

const UNHEARD = (snapshot: string) =>
  `xid >= pg_snapshot_xmin(${snapshot}::text::pg_snapshot) AND NOT pg_visible_in_snapshot(xid, ${snapshot}::text::pg_snapshot)`;

/**
 * What a snapshot ($1, null for none) did not show, with the snapshot that shows it, in one row for each or one without; `here` is false where the snapshot
 * is of a database that this one was restored from. Cost: the range of the key since the oldest transaction that was under way then.
 */
export const WHAT_IS_NEW = prepared(`
  SELECT m.snapshot, m.at, m.here, e.id, e.kind, e.subjects, e.details, e.made_at
  FROM (SELECT pg_current_snapshot()::text AS snapshot, clock_timestamp() AS at,
    $1::text IS NULL OR pg_snapshot_xmax($1::text::pg_snapshot) <= pg_snapshot_xmax(pg_current_snapshot()) AS here) m
  LEFT JOIN LATERAL (SELECT * FROM events WHERE ${UNHEARD('$1')} ORDER BY xid, id LIMIT ${MOST_EVENTS + 1} OFFSET 0) e ON true`);

/** What one snapshot ($1) did not show and a later one ($2) does. Cost: the same. */
export const WHAT_WAS_NEW = prepared(`
  SELECT id, kind, subjects, details FROM events
  WHERE ${UNHEARD('$1')} AND pg_visible_in_snapshot(xid, $2::text::pg_snapshot) ORDER BY xid, id LIMIT ${MOST_EVENTS + 1}`);

/** A row of those statements. */
export interface EventRow {
  readonly id: string;
  readonly kind: string;
  readonly subjects: string[] | null;
  readonly details: string[] | null;
}

/** A row of the first, where there may be no event. */
export type NewRow = { readonly snapshot: string; readonly at: Date; readonly here: boolean } & (
  (EventRow & { readonly made_at: Date }) | { readonly id: null }
);

/** Forgets events of longer ago than so many hours ($1), so many at a time ($2). Cost: the oldest part of the key. */
export const FORGET_EVENTS = `
  DELETE FROM events WHERE (xid, id) IN (
    SELECT xid, id FROM (SELECT xid, id, made_at FROM events ORDER BY xid, id LIMIT $2) oldest
    WHERE made_at < clock_timestamp() - make_interval(hours => $1))`;
