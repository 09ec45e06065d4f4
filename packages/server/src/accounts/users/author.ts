import type { PublicAddress } from '../../ground/http/public-address.js';

/** Columns of an author's card, for a statement that joins `users a`. */
export const AUTHOR_COLUMNS = `a.id AS author_id, a.handle AS author_handle, a.name AS author_name, a.picture_link AS author_link,
  a.picture_file AS author_picture`;

/** A row that holds those columns. */
export interface AuthorColumns {
  readonly author_id: string;
  readonly author_handle: string;
  readonly author_name: string;
  readonly author_link: string | null;
  readonly author_picture: string | null;
}

/** Where a picture is: the user's own, or the one elsewhere that their issuer named. */
export const pictureAddress = (file: string | null, link: string | null, address: PublicAddress): string | null =>
  file === null ? link : address.to(`/media/${file}`);

/** The author's card that a row holds. */
export function toAuthor(row: AuthorColumns, address: PublicAddress) {
  const picture = pictureAddress(row.author_picture, row.author_link, address);
  return { id: row.author_id, handle: row.author_handle, name: row.author_name, picture };
}
