/** Lets nothing be counted as it comes in, for the rest of this transaction, which has to count it all by `COUNT_MADE`. */
export const COUNT_LATER = `SELECT set_config('gather_lane.counts_later', pg_current_xact_id()::text, true)`;

/** Counts posts ($1) that this transaction made, with all that belongs to them, once they are all there. */
export const COUNT_MADE = `SELECT count_made($1::uuid[])`;
