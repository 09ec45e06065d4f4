/** An id that comes after all others. */
export const LAST_ID = 'ffffffff-ffff-ffff-ffff-ffffffffffff';
/** An id that comes before all others. */
export const FIRST_ID = '00000000-0000-0000-0000-000000000000';

const WAYS = {
  newest: { past: '<', order: 'DESC', instant: 'infinity', id: LAST_ID },
  oldest: { past: '>', order: 'ASC', instant: '-infinity', id: FIRST_ID },
} as const;

/** A list that is read page by page: what comes after a place in it, and its order. */
export interface Keyset {
  /**
   * The condition for what comes after the place that two parameters hold, null for the first page. Cost: none beyond the
   * range of an index that begins with the two columns; it is one for the first page too.
   */
  readonly after: (instant: string, id: string) => string;
  readonly order: string;
}

/** A list that is sorted by an instant, and by an id where two are the same. */
export function keyset(instantColumn: string, idColumn: string, way: 'newest' | 'oldest' = 'newest'): Keyset {
  const { past, order, instant: outer, id: outerId } = WAYS[way];
  return {
    after: (instant, id) =>
      `(${instantColumn}, ${idColumn}) ${past} (coalesce(${instant}::timestamptz, '${outer}'), coalesce(${id}::uuid, '${outerId}'))`,
    order: `${instantColumn} ${order}, ${idColumn} ${order}`,
  };
}
