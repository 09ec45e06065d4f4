/**
 * Takes versions away that are not below their post's ($1): what they hold is what the post says now, kept too early. The posts
 * are held first, as an edit holds them.
 */
export const REPAIR_VERSIONS: readonly string[] = [
  `SELECT FROM posts WHERE id = ANY ($1) ORDER BY id FOR NO KEY UPDATE`,
  `DELETE FROM post_versions v USING posts p WHERE p.id = v.post_id AND p.id = ANY ($1) AND v.version >= p.version`,
];
