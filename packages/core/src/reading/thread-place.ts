/** Where a comment stands in its thread. */
export interface ThreadPlace {
  /** The comment that it stands under, or null at the top. */
  readonly underId: string | null;
  /** How many comments it stands under. */
  readonly depth: number;
}

/** How deep threads go unless another limit is configured. */
export const DEEPEST = 4;

/**
 * Where an answer stands: under what it answers, or beside it where that stands as deep as may be.
 * @param answered the comment that is answered, or null for the post itself
 */
export function placeUnder(answered: (ThreadPlace & { readonly id: string }) | null, deepest = DEEPEST): ThreadPlace {
  if (!answered) return { underId: null, depth: 0 };
  return answered.depth < deepest
    ? { underId: answered.id, depth: answered.depth + 1 }
    : { underId: answered.underId, depth: answered.depth };
}
