import { PICTURE_JSON } from './fragments.js';
/** A blob by the hash of what was uploaded ($1), kept from being freed until the transaction ends. */
export const HOLD_BLOB = `SELECT id FROM blobs WHERE hash = $1 FOR KEY SHARE`;

/** Stores a blob; no row comes back when the same content has been stored meanwhile. */
export const MAKE_BLOB = `
  INSERT INTO blobs (id, hash, width, height, widths, bytes, placeholder) VALUES ($1, $2, $3, $4, $5, $6, $7)
  ON CONFLICT (hash) DO NOTHING RETURNING id`;

/** Notes whose a blob is. */
export const MAKE_UPLOAD = `INSERT INTO uploads (id, user_id, blob_id) VALUES ($1, $2, $3)`;

/** An upload as it is shown. Cost: two primary-key probes. */
export const UPLOAD_BY_ID = `
  SELECT ${PICTURE_JSON}) AS picture FROM uploads u JOIN blobs b ON b.id = u.blob_id WHERE u.id = $1`;

/** Whose an upload is. Cost: one primary-key probe. */
export const OWNED_UPLOAD = `SELECT user_id FROM uploads WHERE id = $1`;

const IN_USE = `EXISTS (SELECT FROM post_pictures p WHERE p.upload_id = u.id) OR EXISTS (SELECT FROM users a WHERE a.picture_id = u.id)`;

/** Removes one's own upload ($1, $2) that nothing uses. */
export const DELETE_UPLOAD = `DELETE FROM uploads u WHERE u.id = $1 AND u.user_id = $2 AND NOT (${IN_USE}) RETURNING id`;

/** Removes uploads of more than a day ago that nothing uses, some at a time. */
export const SWEEP_UPLOADS = `
  DELETE FROM uploads WHERE id IN (
    SELECT u.id FROM uploads u WHERE u.created_at < clock_timestamp() - interval '1 day' AND NOT (${IN_USE})
    ORDER BY u.id LIMIT 500 FOR UPDATE SKIP LOCKED)`;

/** Blobs that are nobody's any more. Cost: a pass over blobs, with a probe of uploads_blob each. */
export const UNUSED_BLOBS = `
  SELECT b.id FROM blobs b WHERE NOT EXISTS (SELECT FROM uploads u WHERE u.blob_id = b.id) LIMIT 1000`;

/**
 * Frees a blob that is nobody's. An upload that has just come to use it holds its row: this then waits, and fails by the
 * foreign key, so that a file in use is never taken.
 */
export const FREE_BLOB = `
  DELETE FROM blobs b WHERE b.id = $1 AND NOT EXISTS (SELECT FROM uploads u WHERE u.blob_id = b.id) RETURNING b.widths`;

/**
 * Whether a stored picture ($1) may be had: it was uploaded lately, or a post that is in sight or a profile shows it. So a
 * picture goes out of sight with its post. Cost: a few probes for each upload of the blob.
 */
export const IS_SHOWN = `
  SELECT FROM uploads u WHERE u.blob_id = $1 AND (
    u.created_at > clock_timestamp() - interval '1 day' AND NOT EXISTS (SELECT FROM post_pictures p WHERE p.upload_id = u.id)
    OR EXISTS (SELECT FROM post_pictures p JOIN posts o ON o.id = p.post_id JOIN users a ON a.id = o.author_id
               WHERE p.upload_id = u.id AND o.deleted_at IS NULL AND a.erased_at IS NULL)
    OR EXISTS (SELECT FROM users a WHERE a.picture_id = u.id AND a.erased_at IS NULL)) LIMIT 1`;

/** The widths of the content with a hash ($1) that is stored already, by its id. Cost: one probe of the key. */
export const BLOB_FILES = `SELECT id, widths FROM blobs WHERE hash = $1`;
