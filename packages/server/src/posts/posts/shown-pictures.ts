import { PICTURE_JSON } from '../../accounts/media/fragments.js';
import type { DataCheck } from '../../ground/capability/data-check.js';

/** What posts show of their pictures stands in their own rows, kept by triggers: held against the pictures. Cost: one pass over each table. */
export const SHOWN_PICTURES: DataCheck = {
  name: 'shown-pictures',
  means: 'what a post shows of its pictures is not what they are',
  recounts: true,
  repair: [`SELECT set_post_pictures($1)`],
  sql: `SELECT p.id::text, coalesce(left(p.pictures::text, 80), 'none') AS found, coalesce(left(r.pictures::text, 80), 'none') AS should
    FROM posts p
    LEFT JOIN (
      SELECT pp.post_id AS id, jsonb_agg(${PICTURE_JSON}, 'alt', pp.alt)::jsonb ORDER BY pp.position) AS pictures
      FROM post_pictures pp JOIN uploads u ON u.id = pp.upload_id JOIN blobs b ON b.id = u.blob_id GROUP BY pp.post_id) r ON r.id = p.id
    WHERE p.pictures IS DISTINCT FROM r.pictures`,
};
