import { prepared } from '../../ground/database/prepared.js';

/** Every write that moves tallies takes their row first. */
export const LOCK_POST_TALLY = `SELECT FROM post_tallies WHERE post_id = $1 FOR NO KEY UPDATE`;

/** The same for several posts ($1), in the order in which every writer takes them. */
export const LOCK_POST_TALLIES = prepared(
  `SELECT FROM post_tallies WHERE post_id = ANY ($1::uuid[]) ORDER BY post_id FOR NO KEY UPDATE`,
);

/** Takes the tally row of a comment's post, before its row changes. */
export const LOCK_COMMENT_TALLY = `
  SELECT FROM post_tallies WHERE post_id = (SELECT post_id FROM comments WHERE id = $1) FOR NO KEY UPDATE`;

/** Takes the tallies of users ($1) in id order, as every writer does, so that two mutual follows cannot deadlock. */
export const LOCK_USER_TALLIES = prepared(`
  SELECT user_id, following FROM user_tallies WHERE user_id = ANY ($1::uuid[]) ORDER BY user_id FOR NO KEY UPDATE`);
