import { columnOf, fieldsOf, type OwnFields } from '@gather-lane/core';
import { quoted } from '../../../ground/fields/field-columns.js';

/**
 * Scrubs a profile: from then on nobody sees the user or what they made. The handle becomes one that nobody can sign
 * up with. Own fields that may be empty are emptied. Cost: one primary-key probe.
 */
export const scrubUser = (model: OwnFields): string => {
  const optional = fieldsOf(model, 'users').filter((field) => !field.required);
  const emptied = optional.map(({ name }) => `, ${quoted(columnOf(name))} = NULL`).join('');
  return `
  UPDATE users SET erased_at = clock_timestamp(), handle = 'gone_' || right(replace(id::text, '-', ''), 18),
    name = 'Deleted account', bio = '', moderator = false, picture_id = NULL, picture_link = NULL, version = version + 1${emptied}
  WHERE id = $1 AND erased_at IS NULL RETURNING id`;
};

/** The accounts that are being erased, the one that waits longest first. */
export const ERASURES = `SELECT user_id FROM erasures ORDER BY begun_at, user_id LIMIT 50`;

const batch = (table: string, key: string, where: string): string =>
  `DELETE FROM ${table} WHERE (${key}) IN (SELECT ${key} FROM ${table} WHERE ${where} ORDER BY ${key} LIMIT $2)`;

/** Takes the counts first, in id order, as every writer does; so many reactions at a time. */
const reactions = (table: string, id: string, tallies: string): string => `
  WITH chosen AS MATERIALIZED (SELECT ${id} FROM ${table} WHERE user_id = $1 ORDER BY ${id} LIMIT $2),
    held AS MATERIALIZED (SELECT ${id} FROM ${tallies} WHERE ${id} IN (SELECT ${id} FROM chosen) ORDER BY ${id} FOR NO KEY UPDATE)
  DELETE FROM ${table} WHERE user_id = $1 AND ${id} IN (SELECT ${id} FROM chosen) AND (SELECT count(*) FROM held) >= 0`;

const ANSWERED = `EXISTS (SELECT FROM comments r WHERE r.post_id = c.post_id AND c.id IN (r.parent_id, r.under_id) AND r.author_id IS DISTINCT FROM $1)`;

/** Spans without those that mention the user ($1). */
const UNMENTIONED = `(SELECT coalesce(jsonb_agg(s ORDER BY n), '[]') FROM jsonb_array_elements(spans) WITH ORDINALITY AS e (s, n) WHERE NOT (s ->> 0 = 'm' AND s ->> 5 = $1::text))`;

/** The name of somebody who is gone leads nowhere: it becomes text again. */
const unmention = (thing: 'post' | 'comment'): string =>
  `UPDATE ${thing}s SET spans = ${UNMENTIONED} WHERE id IN (SELECT ${thing}_id FROM ${thing}_mentions WHERE user_id = $1::uuid ORDER BY ${thing}_id LIMIT $2)`;

/**
 * What is erased of an account ($1), in this order, so many rows at a time ($2) in id order, each batch in a transaction
 * of its own; a step that finds nothing more is done. Tallies follow through the triggers. Run again after being
 * killed, it goes on where it stood.
 */
export const eraseSteps = (model: OwnFields): readonly { readonly does: string; readonly sql: string }[] => {
  const emptied = fieldsOf(model, 'comments').map(({ name }) => `, ${quoted(columnOf(name))} = NULL`);
  return [
    { does: 'whom the user followed', sql: batch('follows', 'follower_id, followee_id', 'follower_id = $1') },
    { does: 'who followed the user', sql: batch('follows', 'follower_id, followee_id', 'followee_id = $1') },
    { does: 'mutes', sql: batch('mutes', 'muter_id, muted_id', 'muter_id = $1 OR muted_id = $1') },
    { does: 'blocks', sql: batch('blocks', 'blocker_id, blocked_id', 'blocker_id = $1 OR blocked_id = $1') },
    { does: 'reactions to posts', sql: reactions('reactions', 'post_id', 'post_tallies') },
    { does: 'reactions to comments', sql: reactions('comment_reactions', 'comment_id', 'comment_tallies') },
    { does: 'mentions in posts', sql: unmention('post') },
    { does: 'mentions in comments', sql: unmention('comment') },
    {
      // Answers by others would lose what they answer: a place without text or author stays.
      does: 'comments with answers',
      sql: `UPDATE comments SET author_id = NULL, body = '', spans = '[]', removal = NULL, edited_at = NULL, deleted_at = coalesce(deleted_at, clock_timestamp())${emptied.join('')}
        WHERE id IN (SELECT c.id FROM comments c JOIN posts p ON p.id = c.post_id
                     WHERE c.author_id = $1 AND p.author_id <> $1 AND ${ANSWERED} ORDER BY c.id LIMIT $2)`,
    },
    {
      does: 'other comments',
      sql: batch('comments', 'id', `author_id = $1`),
    },
    { does: 'posts', sql: batch('posts', 'id', 'author_id = $1') },
    // What others were told of the user went with each act.
    { does: 'what the user was told', sql: batch('notifications', 'id', 'user_id = $1') },
    { does: 'pictures', sql: batch('uploads', 'id', 'user_id = $1') },
    { does: 'refused attempts', sql: batch('refused_attempts', 'user_id, route, thing_id, hour', 'user_id = $1') },
    { does: 'the account', sql: `DELETE FROM users WHERE id IN (SELECT $1::uuid LIMIT $2)` },
  ];
};
