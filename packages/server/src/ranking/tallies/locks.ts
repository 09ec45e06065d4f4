/** Every write that moves tallies takes their row first. */
export const LOCK_POST_TALLY = `SELECT FROM post_tallies WHERE post_id = $1 FOR NO KEY UPDATE`;

/** Takes the tally row of a comment's post, before its row changes. */
export const LOCK_COMMENT_TALLY = `
  SELECT FROM post_tallies WHERE post_id = (SELECT post_id FROM comments WHERE id = $1) FOR NO KEY UPDATE`;

/** Takes the tallies of a pair in id order, as every writer does, so that two mutual follows cannot deadlock. */
export const LOCK_PAIR = `
  SELECT user_id, following FROM user_tallies WHERE user_id IN ($1, $2) ORDER BY user_id FOR NO KEY UPDATE`;
