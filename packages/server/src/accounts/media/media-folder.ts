import { join, resolve } from 'node:path';
import type { Config } from '../../ground/config/schema.js';

/** The folder of pictures: the one that services share, or one in the data folder. */
export const mediaFolder = ({ mediaFolder: shared }: Config, folder: string, data: string): string =>
  shared === undefined ? join(data, 'media') : resolve(folder, shared);
