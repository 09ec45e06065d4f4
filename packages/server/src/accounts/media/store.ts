import { mkdir, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';

/** Where a stored file is to be had: a path on this machine. */
export interface Located {
  readonly folder: string;
  readonly file: string;
}

/** A store elsewhere did not do what it was asked: it does not answer, or refuses. */
export class StoreGone extends Error {
  override readonly name = 'StoreGone';

  /** @param why what it answered, or why it could not be asked */
  constructor(why: unknown) {
    super(`The store of pictures: ${why instanceof Error ? why.message || why.name : String(why)}`, { cause: why });
  }
}

/** Keeps the files of pictures. Everything that knows where they are is behind this. */
export abstract class MediaStore {
  /** Keeps a file; once it returns, the whole of it is there. */
  abstract put(name: string, bytes: Buffer): Promise<void>;
  /** Whether a file is there. */
  abstract has(name: string): Promise<boolean>;
  /** Removes a file; one that is not there is no error. */
  abstract remove(name: string): Promise<void>;
  /** A file; null for one that is not there. */
  abstract read(name: string): Promise<Buffer | null>;
  /** Where a file is to be had on this machine; null for a store that keeps them elsewhere, from which they are read. */
  abstract locate(name: string): Located | null;
  /** Every file that is kept, with the instant of its making in milliseconds. */
  abstract list(): AsyncIterable<{ name: string; madeAt: number }>;
}

/** Files in a folder, in subfolders by the end of their names' id, so that no folder holds too many. */
export class FolderStore extends MediaStore {
  readonly #folder: string;

  constructor(folder: string) {
    super();
    this.#folder = folder;
  }

  async put(name: string, bytes: Buffer): Promise<void> {
    const path = this.#path(name);
    await mkdir(dirname(path), { recursive: true, mode: 0o700 });
    // Written beside and moved: a reader finds the whole file or none.
    await writeFile(`${path}.part`, bytes, { mode: 0o600 });
    await rename(`${path}.part`, path);
  }

  has(name: string): Promise<boolean> {
    return stat(this.#path(name)).then(
      () => true,
      () => false,
    );
  }

  async read(name: string): Promise<Buffer | null> {
    return readFile(this.#path(name)).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'ENOENT') throw error;
      return null;
    });
  }

  async remove(name: string): Promise<void> {
    await rm(this.#path(name), { force: true });
  }

  locate(name: string): Located {
    return { folder: this.#folder, file: join(shelfOf(name), name) };
  }

  async *list(): AsyncIterable<{ name: string; madeAt: number }> {
    const shelves = await readdir(this.#folder).catch(() => []);
    for (const shelf of shelves)
      for (const name of await readdir(join(this.#folder, shelf)).catch(() => [])) {
        const found = await stat(join(this.#folder, shelf, name)).catch(() => null);
        if (found) yield { name, madeAt: found.mtimeMs };
      }
  }

  #path(name: string): string {
    return join(this.#folder, shelfOf(name), name);
  }
}

/** A UUIDv7 begins with the time: its end spreads. */
const shelfOf = (name: string): string => name.slice(34, 36);
