import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { shellWord } from '@gather-lane/core';
import type { MediaStore } from '../../accounts/media/store.js';
import { sayServers, type DatabaseAddress } from '../../ground/database/address.js';
import { copyCluster } from '../../ground/database/cluster/copies.js';
import { VERSION } from '../../package-files.js';
import { BACKUP_FILE, BackupRefused, DATABASE_FOLDER, PICTURES_FOLDER, type BackupManifest } from './manifest.js';

/** What is copied, as a command finds it. */
export interface BackedUp {
  readonly address: DatabaseAddress;
  readonly store: MediaStore;
  /** Whether the database is the embedded cluster. */
  readonly embedded: boolean;
}

/**
 * Copies the database and the pictures, while the service goes on: all that was answered before it began is in it.
 * @param folder is made; one that holds anything is refused
 * @param progress told what is being copied
 * @throws BackupRefused, also for a server of the developer's own, with the commands to use there; DatabaseFault
 */
export async function backUp(
  { address, store, embedded }: BackedUp,
  folder: string,
  progress: (what: string) => void,
): Promise<BackupManifest> {
  if (!embedded) throw new BackupRefused(commandsFor(address, folder));
  if (existsSync(folder) && readdirSync(folder).length > 0)
    throw new BackupRefused(`${folder} is not empty: name a folder that is new or empty.`);
  mkdirSync(join(folder, PICTURES_FOLDER), { recursive: true, mode: 0o700 });
  const copied = new Set<string>();
  progress('pictures');
  await copyPictures(store, folder, copied);
  progress('the database');
  await copyCluster(address, join(folder, DATABASE_FOLDER));
  // Those that came meanwhile: a row of the copied database may name one that came late, and one that is gone by now.
  progress('pictures that came meanwhile');
  await copyPictures(store, folder, copied);
  const manifest: BackupManifest = {
    format: 'gather-lane backup',
    formatVersion: 1,
    service: VERSION,
    madeAt: new Date().toISOString(),
    pictures: copied.size,
    password: address.password ?? '',
  };
  writeFileSync(join(folder, BACKUP_FILE), JSON.stringify(manifest, null, 2) + '\n', { mode: 0o600 });
  return manifest;
}

async function copyPictures(store: MediaStore, folder: string, copied: Set<string>): Promise<void> {
  for await (const { name } of store.list()) {
    if (copied.has(name) || name.endsWith('.part')) continue;
    const bytes = await store.read(name);
    // It was freed in between.
    if (!bytes) continue;
    await writeFile(join(folder, PICTURES_FOLDER, name), bytes);
    copied.add(name);
  }
}

const commandsFor = (address: DatabaseAddress, folder: string): string =>
  `The database is a server of yours (${address.database} at ${sayServers(address)}), which has tools of its own for this. All of the server, to start again from or to replay its log up to an instant:
  pg_basebackup -h ${shellWord(address.host)} -p ${address.port} -U ${shellWord(address.user)} -D ${shellWord(folder)} -X stream -c fast
This database alone, to be read in by pg_restore:
  pg_dump -h ${shellWord(address.host)} -p ${address.port} -U ${shellWord(address.user)} -Fc -f ${shellWord(`${folder}.dump`)} ${shellWord(address.database)}
Copy the folder of pictures before and after. Or take \`gather-lane export\`, which any version reads.`;
