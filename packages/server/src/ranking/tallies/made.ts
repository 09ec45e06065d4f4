/** Lets nothing be counted as it comes in, for the rest of this transaction, which has to count it all by what is below. */
export const COUNT_LATER = `SELECT set_config('gather_lane.counts_later', pg_current_xact_id()::text, true)`;

/** Counts what is kept of posts ($1) that this transaction made, and of all that belongs to them, once they are all there. Waits for nobody. */
export const COUNT_MADE_OWN = `SELECT count_made_own($1::uuid[])`;

/** Counts the rest of it, after that: what others' posts move too. */
export const COUNT_MADE_SHARED = `SELECT count_made_shared($1::uuid[])`;

/** Counts follows that this transaction made, by those who follow ($1) and whom ($2). */
export const COUNT_FOLLOWS = `SELECT count_follows($1::uuid[], $2::uuid[])`;

/** Counts reactions on posts that this transaction made, by the posts ($1), those who reacted ($2) and how ($3). */
export const COUNT_REACTIONS = `
  SELECT count_reactions($1::uuid[], $2::uuid[], $3::text[], array_fill(1, ARRAY[cardinality($1::uuid[])]))`;
