import { randomUUID } from 'node:crypto';
import type { Owned } from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { brokenConstraint, inTransaction, sqlState } from '../../ground/database/transaction.js';
import { Problem } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { contentOf, type Taking } from '../../ground/idempotency/service.js';
import { fileName, PICTURE_FILE, toPicture, type PictureJson, type PictureView } from './picture.js';
import { preparePicture, type Prepared } from './prepare.js';
import {
  BLOB_FILES,
  DELETE_UPLOAD,
  FREE_BLOB,
  HOLD_BLOB,
  IS_SHOWN,
  MAKE_BLOB,
  MAKE_UPLOAD,
  OWNED_UPLOAD,
  SWEEP_UPLOADS,
  UNUSED_BLOBS,
  UPLOAD_BY_ID,
} from './queries.js';
import { StoreGone, type Located, type MediaStore } from './store.js';

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;
/** A file without a row may be one of an upload that is under way. */
const UNDER_WAY_MS = 3_600_000;

/** Pictures: taking, showing, and freeing what nothing uses. */
export class Media {
  readonly #dataSource: DataSource;
  readonly #background: DataSource;
  readonly #store: MediaStore;
  readonly #address: PublicAddress;

  /** @param background where what nothing shows is swept */
  constructor(dataSource: DataSource, background: DataSource, store: MediaStore, address: PublicAddress) {
    this.#dataSource = dataSource;
    this.#background = background;
    this.#store = store;
    this.#address = address;
  }

  /**
   * Takes a picture: stores its content, unless it is stored already, and notes whose it is.
   * @param taking the key of the call, where it has one
   * @returns the id of the upload
   * @throws Problem `bad-picture`; StoreGone; nothing is left behind
   */
  async take(userId: string, bytes: Buffer, taking: Taking | null = null): Promise<string> {
    const id = uuidv7();
    const hash = contentOf(bytes);
    const note = (manager: EntityManager, blobId: string) => manager.query(MAKE_UPLOAD, [id, userId, blobId]);
    await this.#mend(hash, bytes);
    if (await this.#takeKnown(id, hash, taking, note)) return id;
    const prepared = await preparePicture(bytes);
    const blobId = randomUUID();
    try {
      for (const file of prepared.files) await this.#store.put(fileName(blobId, file.width), file.bytes);
      const stored = await inTransaction(this.#dataSource, async (manager) => {
        await taking?.take(manager, id);
        const made = await manager.query<unknown[]>(MAKE_BLOB, blobRow(blobId, hash, prepared));
        // Somebody else was quicker with the same picture: theirs is used.
        const [blob] = made.length > 0 ? [{ id: blobId }] : await manager.query<{ id: string }[]>(HOLD_BLOB, [hash]);
        await note(manager, blob!.id);
        return made.length > 0;
      });
      if (!stored) await this.#removeFiles(blobId, widthsOf(prepared));
      return id;
    } catch (error) {
      // What went wrong first is told; files that stay behind are swept.
      await this.#removeFiles(blobId, widthsOf(prepared)).catch(() => undefined);
      throw error;
    }
  }

  /** Puts the files of content that is known where they are missing: its folder may be another's, or one that was restored without them. */
  async #mend(hash: Buffer, bytes: Buffer): Promise<void> {
    const [blob] = await this.#dataSource.query<{ id: string; widths: number[] }[]>(BLOB_FILES, [hash]);
    if (!blob) return;
    const there = await Promise.all(blob.widths.map((width) => this.#store.has(fileName(blob.id, width))));
    if (there.every(Boolean)) return;
    for (const file of (await preparePicture(bytes)).files)
      await this.#store.put(fileName(blob.id, file.width), file.bytes);
  }

  /** Whether the same content was there already, and the upload is made. */
  async #takeKnown(
    id: string,
    hash: Buffer,
    taking: Taking | null,
    note: (manager: EntityManager, blobId: string) => Promise<unknown>,
  ): Promise<boolean> {
    return inTransaction(this.#dataSource, async (manager) => {
      const [blob] = await manager.query<{ id: string }[]>(HOLD_BLOB, [hash]);
      if (!blob) return false;
      await taking?.take(manager, id);
      await note(manager, blob.id);
      return true;
    });
  }

  /** An upload as it is shown. @throws Problem `not-found` */
  async view(id: string): Promise<PictureView> {
    const [row] = await this.#dataSource.query<{ picture: PictureJson }[]>(UPLOAD_BY_ID, [id]);
    if (!row) throw new Problem('not-found', 'There is no such picture.');
    return toPicture(row.picture, this.#address);
  }

  /** Whose an upload is. */
  async owned(id: string): Promise<Owned | null> {
    const [row] = await this.#dataSource.query<{ user_id: string }[]>(OWNED_UPLOAD, [id]);
    return row ? { ownerId: row.user_id, version: 1 } : null;
  }

  /** Removes one's own upload. @throws Problem `in-use` for one that a post or profile shows */
  async delete(id: string, userId: string): Promise<void> {
    const [rows] = await this.#dataSource
      .query<[unknown[], number]>(DELETE_UPLOAD, [id, userId])
      .catch((error: unknown): [unknown[], number] => {
        if (sqlState(error) !== FOREIGN_KEY) throw error;
        return [[], 0];
      });
    if (rows.length === 0)
      throw new Problem('in-use', 'A post or a profile shows this picture: take it out there first.');
    // The upload is gone all the same: files that cannot be removed now are swept, as no row knows them.
    await this.free().catch((error: unknown) => {
      if (!(error instanceof StoreGone)) throw error;
    });
  }

  /**
   * Where a stored file is to be had on this machine, or the file itself.
   * @throws Problem `not-found`, for one that nothing in sight shows too
   */
  async find(file: string): Promise<Located | Buffer> {
    const blob = PICTURE_FILE.exec(file)?.[1];
    const shown = blob && UUID.test(blob) ? await this.#dataSource.query<unknown[]>(IS_SHOWN, [blob]) : [];
    const found = shown.length === 0 ? null : (this.#store.locate(file) ?? (await this.#store.read(file)));
    if (!found) throw new Problem('not-found', 'There is no such picture, or nothing shows it any more.');
    return found;
  }

  /** Removes uploads that were never used, frees what is nobody's, and removes files that no row knows. */
  async sweep(): Promise<void> {
    await this.#background.query(SWEEP_UPLOADS);
    await this.free();
    for await (const { name, madeAt } of this.#store.list()) {
      if (Date.now() - madeAt < UNDER_WAY_MS) continue;
      const blob = PICTURE_FILE.exec(name)?.[1];
      const known =
        blob && UUID.test(blob) && (await this.#background.query<unknown[]>(`SELECT FROM blobs WHERE id = $1`, [blob]));
      if (!known || known.length === 0) await this.#store.remove(name);
    }
  }

  /** Frees the content that is nobody's any more. */
  async free(): Promise<void> {
    for (const { id } of await this.#background.query<{ id: string }[]>(UNUSED_BLOBS)) {
      const [rows] = await this.#background
        .query<[{ widths: number[] }[], number]>(FREE_BLOB, [id])
        .catch((error: unknown): [{ widths: number[] }[], number] => {
          // It has just come to be used.
          if (brokenConstraint(error) === undefined) throw error;
          return [[], 0];
        });
      if (rows[0]) await this.#removeFiles(id, rows[0].widths);
    }
  }

  async #removeFiles(blob: string, widths: readonly number[]): Promise<void> {
    for (const width of widths) await this.#store.remove(fileName(blob, width));
  }
}

const FOREIGN_KEY = '23503';
const widthsOf = (prepared: Prepared): number[] => prepared.files.map(({ width }) => width);

const blobRow = (id: string, hash: Buffer, { width, height, files, placeholder }: Prepared): unknown[] => [
  id,
  hash,
  width,
  height,
  files.map((file) => file.width),
  files.reduce((sum, file) => sum + file.bytes.length, 0),
  placeholder,
];
