import { normalAddress } from '@gather-lane/core';

/** A table that an export holds. What triggers derive from these (tallies, standings) is made again by an import. */
export interface TransferTable {
  readonly name: string;
  readonly key: readonly string[];
  /** An order in which every row comes after those that it refers to. */
  readonly order: string;
  /** A column that refers to a table which comes later: filled once that is in. */
  readonly afterwards?: { readonly column: string; readonly refersTo: string };
  /** What an older version let in and this one does not, put right. */
  readonly mend?: (row: Record<string, unknown>) => Record<string, unknown>;
  /** What of a row is other here than where it was exported. */
  readonly here?: Readonly<Record<string, unknown>>;
}

/**
 * Everything that people made, parents before children. Sessions, signing keys, links of mails and sign-ins under
 * way stay behind: they are secrets of one running service. So do the journal of fills, what scrolls under way need,
 * and what was noted of attempts.
 */
export const TRANSFER_TABLES: readonly TransferTable[] = [
  // As history: that in force there is adopted here at the end.
  {
    name: 'weightings',
    key: ['id'],
    order: 'id',
    here: { in_force: false, state: 'past', phase: null, in_force_until: null },
  },
  {
    name: 'users',
    key: ['id'],
    order: 'id',
    afterwards: { column: 'picture_id', refersTo: 'uploads' },
    mend: ({ picture_link: link, ...row }) => ({
      ...row,
      ...(link !== undefined && { picture_link: typeof link === 'string' ? normalAddress(link) : null }),
    }),
  },
  { name: 'credentials', key: ['user_id'], order: 'user_id' },
  { name: 'identities', key: ['id'], order: 'id' },
  { name: 'reserved_handles', key: ['handle'], order: 'handle' },
  { name: 'mutes', key: ['muter_id', 'muted_id'], order: 'muter_id, muted_id' },
  { name: 'blocks', key: ['blocker_id', 'blocked_id'], order: 'blocker_id, blocked_id' },
  { name: 'follows', key: ['follower_id', 'followee_id'], order: 'follower_id, followee_id' },
  { name: 'posts', key: ['id'], order: 'id' },
  { name: 'blobs', key: ['id'], order: 'id' },
  { name: 'uploads', key: ['id'], order: 'id' },
  { name: 'post_pictures', key: ['post_id', 'position'], order: 'post_id, position' },
  { name: 'post_versions', key: ['post_id', 'version'], order: 'post_id, version' },
  { name: 'comments', key: ['id'], order: 'created_at, id' },
  { name: 'reactions', key: ['post_id', 'user_id'], order: 'post_id, user_id' },
  { name: 'comment_reactions', key: ['comment_id', 'user_id'], order: 'comment_id, user_id' },
  { name: 'moderations', key: ['id'], order: 'id' },
  { name: 'erasures', key: ['user_id'], order: 'user_id' },
];

/** What an export says of itself, in `manifest.json`. */
export interface Manifest {
  readonly format: 'gather-lane export';
  readonly formatVersion: 1;
  readonly service: string;
  readonly madeAt: string;
  readonly tables: { readonly name: string; readonly file: string; readonly rows: number; readonly sha256: string }[];
}

/** Folder of the pictures' files beside the tables. */
export const MEDIA_FOLDER = 'media';
/** Name of the manifest's file. */
export const MANIFEST = 'manifest.json';

/** An export or import that cannot be done; the message says what, where and how to mend it. */
export class TransferRefused extends Error {
  override readonly name = 'TransferRefused';
}

/** Told how many rows of which table are done. */
export type TransferProgress = (table: string, rows: number) => void;
