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
import type { Replay } from '../../ground/database/cluster/replay.js';
import { lockFolder } from '../../ground/database/cluster/service-lock.js';
import { BackupRefused, DATABASE_FOLDER, PICTURES_FOLDER, readBackup, type BackupManifest } from './manifest.js';

type Environment = Readonly<Record<string, string | undefined>>;

/** What is restored, and how far. */
export interface Restoring {
  /** The folder of the back-up. */
  readonly from: string;
  /** That relative paths of the configuration are in. */
  readonly folder: string;
  /** For the standard `PG…` variables, which may name a server. */
  readonly environment: Environment;
  /** The log that is replayed over the back-up; null for the back-up as it is. */
  readonly onwards?: Replay | null;
  /** A folder with pictures that came after the back-up; null for none. */
  readonly pictures?: string | null;
}

/** What was restored. */
export interface Restored {
  readonly manifest: BackupManifest;
  /** When the last act was committed that was replayed; null where none was. */
  readonly lastAct: Date | null;
}

/**
 * Puts a back-up where a service with this configuration looks for its data, which must be empty.
 * @throws BackupRefused, DatabaseFault; what was there is as it was
 */
export async function restore(
  config: Config,
  { from, folder, environment, onwards = null, pictures = null }: Restoring,
  notice: (text: string) => void,
): Promise<Restored> {
  if (ownServer(config.database.url, environment))
    throw new BackupRefused(
      `${serverNamedBy(config.database.url, environment)} names a server of yours, and this restores the embedded cluster: take it out, or restore there with the tools of PostgreSQL.`,
    );
  if (config.mediaBucket)
    throw new BackupRefused(
      'Pictures are restored into a folder, and mediaBucket names a bucket: take it out, restore, and copy the files into the bucket by their names.',
    );
  const manifest = readBackup(from);
  if (onwards?.until && onwards.until.getTime() < Date.parse(manifest.madeAt))
    throw new BackupRefused(
      `The back-up was done at ${manifest.madeAt}, which is later than ${onwards.until.toISOString()}: take one from before, or a later instant.`,
    );
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
    for (const at of [join(from, PICTURES_FOLDER), ...(pictures === null ? [] : [pictures])])
      for (const name of readdirSync(at))
        if (PICTURE_FILE.test(name)) await store.put(name, await readFile(join(at, name)));
    const { password } = manifest;
    const lastAct = await placeCluster(join(from, DATABASE_FOLDER), { data, password, onwards }, notice);
    rmSync(media, { recursive: true, force: true });
    renameSync(draft, media);
    return { manifest, lastAct };
  } finally {
    rmSync(draft, { recursive: true, force: true });
    unlock();
  }
}
