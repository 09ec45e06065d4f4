import type { PostCounts, ReactionCounts } from '@gather-lane/core';

/** Columns of what lifts a post, for a statement that joins `post_tallies t`. */
export const COUNT_COLUMNS = `t.comment_people, t.reactions, t.author_reaction`;

/** A row that holds those columns. */
export interface CountColumns {
  readonly comment_people: number;
  readonly reactions: ReactionCounts;
  readonly author_reaction: string | null;
}

/** The counts that a row holds. */
export const toCounts = (row: CountColumns): PostCounts => ({
  commentPeople: row.comment_people,
  reactions: row.reactions,
  authorReaction: row.author_reaction,
});
