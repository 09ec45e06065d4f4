import type { Querying } from '../../ground/database/hot-transaction.js';
import { invalid } from '../../ground/http/problem.js';
import { HOLD_UPLOADS, SET_PICTURES } from './queries.js';

/** A picture that a post is to show. */
export interface PictureChoice {
  /** An upload of the author's. */
  readonly id: string;
  readonly alt?: string;
}

/** Puts pictures on a post, in their order. @throws Problem `invalid` for one that is not the author's own, or twice there */
export async function setPictures(
  manager: Querying,
  id: string,
  authorId: string,
  media: readonly PictureChoice[],
): Promise<void> {
  if (media.length === 0) return;
  const ids = media.map((picture) => picture.id.toLowerCase());
  const twice = ids.findIndex((each, i) => ids.indexOf(each) !== i);
  if (twice >= 0) throw invalid(`/media/${twice}/id`, 'names a picture that is there already');
  const alts = media.map(({ alt = '' }) => alt);
  await manager.query(HOLD_UPLOADS, [ids, authorId]);
  const set = await manager.query<{ upload_id: string }[]>(SET_PICTURES, [id, ids, alts, authorId]);
  const missing = ids.findIndex((each) => !set.some((row) => row.upload_id === each));
  if (missing >= 0) throw invalid(`/media/${missing}/id`, 'names no picture that you uploaded');
}
