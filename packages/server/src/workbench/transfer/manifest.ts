/** The manifest in JSON Schema: it comes from a folder that anybody may have written. */
export const MANIFEST_SCHEMA = {
  type: 'object',
  required: ['format', 'formatVersion', 'tables'],
  properties: {
    format: { const: 'gather-lane export' },
    formatVersion: { type: 'integer' },
    tables: {
      type: 'array',
      items: {
        type: 'object',
        required: ['name', 'file', 'rows', 'sha256'],
        properties: {
          name: { type: 'string' },
          // In the folder itself, and nowhere else.
          file: { type: 'string', pattern: '^[a-z0-9_]+\\.ndjson$' },
          rows: { type: 'integer', minimum: 0 },
          sha256: { type: 'string', pattern: '^[0-9a-f]{64}$' },
        },
      },
    },
  },
} as const;

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
