import { existsSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { isAbsolute, join, resolve } from 'node:path';
import { mediaFolder } from '../../accounts/media/media-folder.js';
import { PICTURE_FILE } from '../../accounts/media/picture.js';
import { FolderStore } from '../../accounts/media/store.js';
import type { Config } from '../../ground/config/schema.js';
import { ownServer, serverNamedBy } from '../../ground/database/address.js';
import { makeDataFolder } from '../../ground/database/cluster/cluster.js';
import { placeCluster } from '../../ground/database/cluster/copies.js';
import { lockFolder } from '../../ground/database/cluster/service-lock.js';
import { BackupRefused, DATABASE_FOLDER, PICTURES_FOLDER, readBackup, type BackupManifest } from './manifest.js';

type Environment = Readonly<Record<string, string | undefined>>;

/**
 * Puts a back-up where a service with this configuration looks for its data, which must be empty.
 * @param from the folder of the back-up
 * @param folder that relative paths of the configuration are in
 * @param environment for the standard `PG…` variables, which may name a server
 * @throws BackupRefused, DatabaseFault; what was there is as it was
 */
export async function restore(
  config: Config,
  { from, folder, environment }: { readonly from: string; readonly folder: string; readonly environment: Environment },
  notice: (text: string) => void,
): Promise<BackupManifest> {
  if (ownServer(config.database.url, environment))
    throw new BackupRefused(
      `${serverNamedBy(config.database.url, environment)} names a server of yours, and this restores the embedded cluster: take it out, or restore there with the tools of PostgreSQL.`,
    );
  if (config.mediaBucket)
    throw new BackupRefused(
      'Pictures are restored into a folder, and mediaBucket names a bucket: take it out, restore, and copy the files into the bucket by their names.',
    );
  const manifest = readBackup(from);
  const data = isAbsolute(config.data) ? config.data : resolve(folder, config.data);
  const media = mediaFolder(config, folder, data);
  makeDataFolder(data);
  const unlock = lockFolder(data);
  const draft = `${media}.restored`;
  try {
    if (existsSync(media) && readdirSync(media).length > 0)
      throw new BackupRefused(`${media} holds pictures already: name another folder with --data, or move them away.`);
    rmSync(draft, { recursive: true, force: true });
    mkdirSync(draft, { recursive: true, mode: 0o700 });
    const store = new FolderStore(draft);
    for (const name of readdirSync(join(from, PICTURES_FOLDER)))
      if (PICTURE_FILE.test(name)) await store.put(name, await readFile(join(from, PICTURES_FOLDER, name)));
    await placeCluster(join(from, DATABASE_FOLDER), data, manifest.password, notice);
    rmSync(media, { recursive: true, force: true });
    renameSync(draft, media);
    return manifest;
  } finally {
    rmSync(draft, { recursive: true, force: true });
    unlock();
  }
}
