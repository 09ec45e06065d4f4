import type { Config } from '../../ground/config/schema.js';
import { BucketStore, bucketPlace } from './bucket-store.js';
import { mediaFolder } from './media-folder.js';
import { FolderStore, type MediaStore } from './store.js';

/** Where the files of pictures are: in a bucket, in the folder that services share, or in the data folder. */
export const mediaStore = (config: Config, folder: string, data: string): MediaStore =>
  config.mediaBucket
    ? new BucketStore(bucketPlace(config.mediaBucket))
    : new FolderStore(mediaFolder(config, folder, data));
