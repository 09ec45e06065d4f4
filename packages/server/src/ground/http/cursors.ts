import {
  cursorKeyTag,
  readFeedCursor,
  readListCursor,
  readNotificationCursor,
  readSeenMark,
  writeFeedCursor,
  writeListCursor,
  writeNotificationCursor,
  writeSeenMark,
  type CursorKey,
  type FeedCursor,
  type ListCursor,
  type NotificationCursor,
  type SeenMark,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { KeyChanges } from '../keys/key-changes.js';
import { Keyring } from '../keys/keyring.js';

const ROTATED_AFTER_DAYS = 30;
/** A scroll of a feed lives a day; whoever reads on in any other list after that begins again. */
const GOOD_FOR_S = 26 * 3600;

/** Cursors of lists and feeds, signed with keys that all processes of the service share. */
export class Cursors {
  readonly #keys: Keyring<CursorKey>;

  constructor(dataSource: DataSource, changes = new KeyChanges()) {
    this.#keys = new Keyring(dataSource, changes, 'cursors', ({ id, secret }) => ({ tag: id.slice(-8), secret }));
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

  /** Writes cursors of a feed: what a page needs several of. */
  async feedWriter(): Promise<(cursor: FeedCursor) => string> {
    const key = await this.#keys.newest();
    return (cursor) => writeFeedCursor(cursor, key);
  }

  /** The cursor of a list of notifications that a text holds, or null when it is none of ours. */
  async readNotifications(text: string): Promise<NotificationCursor | null> {
    return readNotificationCursor(text, await this.#keysFor(text));
  }

  async writeNotifications(cursor: NotificationCursor): Promise<string> {
    return writeNotificationCursor(cursor, await this.#keys.newest());
  }

  /** What a list of notifications could show, by the text that it gave; null when it is none of ours. */
  async readSeen(text: string): Promise<SeenMark | null> {
    return readSeenMark(text, await this.#keysFor(text));
  }

  async writeSeen(mark: SeenMark): Promise<string> {
    return writeSeenMark(mark, await this.#keys.newest());
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
