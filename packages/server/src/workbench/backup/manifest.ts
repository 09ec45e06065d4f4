import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Ajv } from 'ajv';

/** What a back-up says of itself, in `backup.json`, which is written last. */
export interface BackupManifest {
  readonly format: 'gather-lane backup';
  readonly formatVersion: 1;
  readonly service: string;
  readonly madeAt: string;
  readonly pictures: number;
  /** Of the role in the copied cluster. */
  readonly password: string;
}

const SCHEMA = {
  type: 'object',
  required: ['format', 'formatVersion', 'service', 'madeAt', 'pictures', 'password'],
  properties: {
    format: { const: 'gather-lane backup' },
    formatVersion: { type: 'integer' },
    service: { type: 'string' },
    madeAt: { type: 'string' },
    pictures: { type: 'integer', minimum: 0 },
    password: { type: 'string', minLength: 1 },
  },
} as const;

/** Its name; where the copy of the database is, and where that of the pictures. */
export const [BACKUP_FILE, DATABASE_FOLDER, PICTURES_FOLDER] = ['backup.json', 'database', 'pictures'];

/** A back-up that cannot be made or restored; the message says why, and what to do. */
export class BackupRefused extends Error {
  override readonly name = 'BackupRefused';
}

/** Reads what a back-up says of itself. @throws BackupRefused */
export function readBackup(folder: string): BackupManifest {
  const path = join(folder, BACKUP_FILE);
  if (!existsSync(path))
    throw new BackupRefused(`${path} is not there: this is no back-up, or one that was not finished.`);
  let manifest: unknown;
  try {
    manifest = JSON.parse(readFileSync(path, 'utf8'));
  } catch (error) {
    throw new BackupRefused(`${path} is damaged: ${(error as Error).message}`);
  }
  const isManifest = new Ajv().compile<BackupManifest>(SCHEMA);
  if (!isManifest(manifest))
    throw new BackupRefused(`${path} does not say what a back-up is: ${isManifest.errors![0]!.message}.`);
  if (manifest.formatVersion !== 1)
    throw new BackupRefused(`${path} was written by a newer version: use Gather Lane ${manifest.service}.`);
  return manifest;
}
