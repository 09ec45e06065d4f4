import type { FieldValues, OwnFields, StoredSpan } from '@gather-lane/core';
import type { PictureJson } from '../../accounts/media/picture.js';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../../accounts/users/author.js';
import type { InstantText } from '../../ground/database/instants.js';
import { fieldsColumn } from '../../ground/fields/field-columns.js';
import { COUNT_COLUMNS, type CountColumns } from '../../ranking/tallies/counts.js';

/**
 * What is shown of a post `p` to a viewer (a parameter, null for nobody), for a statement that joins {@link POST_JOINS}. What is the viewer's
 * own is looked up by itself, which costs less than a join; a reaction only where there are some, which the count of them tells; a watch
 * only for who watches anything.
 * Cost: up to two primary-key probes.
 */
export const postColumns = (model: OwnFields, viewer: string): string => `
    p.id, p.body, p.spans, p.version, p.created_at, p.edited_at, ${AUTHOR_COLUMNS}, t.comments, ${COUNT_COLUMNS},
    CASE WHEN t.reactions <> '{}' THEN (SELECT kind FROM reactions WHERE post_id = p.id AND user_id = ${viewer}) END AS reaction,
    CASE WHEN EXISTS (SELECT FROM post_watches WHERE user_id = ${viewer})
      THEN coalesce((SELECT watching FROM post_watches WHERE post_id = p.id AND user_id = ${viewer}), false) ELSE false END AS watching,
    ${fieldsColumn(model, 'posts', 'p')}, p.pictures`;

/** Joins to a post `p` what is shown of it to everybody. Cost: two primary-key probes. */
export const POST_JOINS = `
    JOIN users a ON a.id = p.author_id
    JOIN post_tallies t ON t.post_id = p.id`;

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
