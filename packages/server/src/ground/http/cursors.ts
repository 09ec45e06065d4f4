import {
  cursorKeyTag,
  readFeedCursor,
  readListCursor,
  writeFeedCursor,
  writeListCursor,
  type CursorKey,
  type FeedCursor,
  type ListCursor,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { Keyring } from '../keys/keyring.js';

const ROTATED_AFTER_DAYS = 30;
/** A scroll of a feed lives a day; whoever reads on in any other list after that begins again. */
const GOOD_FOR_S = 26 * 3600;

/** Cursors of lists and feeds, signed with keys that all processes of the service share. */
export class Cursors {
  readonly #keys: Keyring<CursorKey>;

  constructor(dataSource: DataSource) {
    this.#keys = new Keyring(dataSource, 'cursors', ({ id, secret }) => ({ tag: id.slice(-8), secret }));
  }

  /** The list cursor that a text holds, or null when it is none of ours. */
  async readList(text: string): Promise<ListCursor | null> {
    return readListCursor(text, await this.#keysFor(text));
  }

  async writeList(cursor: ListCursor): Promise<string> {
    return writeListCursor(cursor, await this.#keys.newest());
  }

  /** The feed cursor that a text holds, or null when it is none of ours. */
  async readFeed(text: string): Promise<FeedCursor | null> {
    return readFeedCursor(text, await this.#keysFor(text));
  }

  async writeFeed(cursor: FeedCursor): Promise<string> {
    return writeFeedCursor(cursor, await this.#keys.newest());
  }

  /** Makes a new key; see {@link Keyring.rotate}. */
  rotate(atOnce: boolean): Promise<void> {
    return this.#keys.rotate(atOnce);
  }

  /** Renews the key now and then, and forgets those that signed nothing which is still good. */
  async tidy(): Promise<void> {
    await this.#keys.rotateAfter(ROTATED_AFTER_DAYS);
    await this.#keys.forgetOld(GOOD_FOR_S);
  }

  #keysFor(text: string): Promise<readonly CursorKey[]> {
    const tag = cursorKeyTag(text);
    return this.#keys.all((key) => key.tag === tag);
  }
}
