import type { FieldValues, OwnFields, StoredSpan } from '@gather-lane/core';
import { PICTURE_JSON } from '../../accounts/media/fragments.js';
import type { PictureJson } from '../../accounts/media/picture.js';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../../accounts/users/author.js';
import type { InstantText } from '../../ground/database/instants.js';
import { fieldsColumn } from '../../ground/fields/field-columns.js';
import { COUNT_COLUMNS, type CountColumns } from '../../ranking/tallies/counts.js';

const PICTURES = `(
    SELECT json_agg(${PICTURE_JSON}, 'alt', pp.alt) ORDER BY pp.position)
    FROM post_pictures pp JOIN uploads u ON u.id = pp.upload_id JOIN blobs b ON b.id = u.blob_id WHERE pp.post_id = p.id) AS pictures`;

/** What is shown of a post `p`, for a statement that joins what {@link postJoins} says. */
export const postColumns = (model: OwnFields): string => `
    p.id, p.body, p.spans, p.version, p.created_at, p.edited_at, ${AUTHOR_COLUMNS}, t.comments, ${COUNT_COLUMNS},
    r.kind AS reaction, coalesce(h.watching, false) AS watching, ${fieldsColumn(model, 'posts', 'p')}, ${PICTURES}`;

/** Joins to a post `p` what is shown of it to a viewer. Cost: four primary-key probes. */
export const postJoins = (viewer: string): string => `
    JOIN users a ON a.id = p.author_id
    JOIN post_tallies t ON t.post_id = p.id
    LEFT JOIN reactions r ON r.post_id = p.id AND r.user_id = ${viewer}
    LEFT JOIN post_watches h ON h.post_id = p.id AND h.user_id = ${viewer}`;

/** What a row holds of a post. */
export interface PostRow extends AuthorColumns, CountColumns {
  readonly id: string;
  readonly body: string;
  readonly spans: StoredSpan[];
  readonly version: number;
  readonly created_at: InstantText;
  readonly edited_at: InstantText | null;
  readonly comments: number;
  readonly lane_time: InstantText;
  readonly reaction: string | null;
  readonly watching: boolean;
  readonly fields: FieldValues | null;
  readonly pictures: PictureJson[] | null;
}
