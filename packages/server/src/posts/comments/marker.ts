import type { CommentRow } from './queries.js';

/** Why a comment with something below it is shown without text and author. */
export type Marker = 'deleted' | 'withheld' | 'erased' | 'hidden';

/**
 * What stands in the place of a comment that the viewer does not read: deleted by its owner or a moderator, withheld, gone with
 * its author's account, or hidden, since viewer and author keep apart. Null for one that they read.
 */
export function markerOf({ seen, deleted, removal, erased }: CommentRow): Marker | null {
  if (seen) return null;
  if (removal === 'withheld') return 'withheld';
  // What was deleted long ago has no author any more either, but says by whom.
  if (deleted && removal !== null) return 'deleted';
  return erased || deleted ? 'erased' : 'hidden';
}
