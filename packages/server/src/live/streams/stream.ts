import type { ServerResponse } from 'node:http';
import { writeEventPosition, type EventPosition } from '@gather-lane/core';
import type { SignedIn } from '../../ground/http/principal.js';
import type { NewerView } from '../../feed/schema.js';

/** What a reader has not taken in yet is kept so far; whoever is slower is dropped, and takes up where it broke off. */
const MOST_WAITING_BYTES = 128 * 1024;

/** What a stream is about. */
export interface StreamOrder {
  readonly viewer: SignedIn;
  /** Posts on screen, whose counts are told. */
  readonly posts: ReadonlySet<string>;
  /** The `first` of the feed on screen, above which posts are counted. */
  readonly than: string | null;
}

/** One reader of Server-Sent Events (WHATWG HTML, section 9.2). */
export class Stream {
  readonly order: StreamOrder;
  readonly openedAt = Date.now();
  readonly #raw: ServerResponse;
  /** What was told last, so that nothing is told twice: of the posts above, and of what is unseen. */
  newer: NewerView | null = null;
  unseen: string | null = null;
  /** Nothing that happened is told before what happened until it was opened. */
  position: EventPosition;

  constructor(order: StreamOrder, raw: ServerResponse, position: EventPosition) {
    this.order = order;
    this.#raw = raw;
    this.position = position;
  }

  get isOpen(): boolean {
    return !this.#raw.writableEnded && !this.#raw.destroyed;
  }

  /** Tells something. @param at from where the reader reads on once it has heard that */
  send(event: string, data: unknown, at?: EventPosition): void {
    this.#write(`${at ? `id: ${writeEventPosition(at)}\n` : ''}event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
  }

  /** Says that it lives, and from where the reader reads on: browsers keep an id without data, other readers find it in the comment. */
  beat(at: EventPosition): void {
    const id = writeEventPosition(at);
    this.#write(`: at ${id}\nid: ${id}\n\n`);
  }

  /** Ends it. @param retryMs after how long the reader tries again; not at all where that is none */
  end(retryMs?: number): void {
    if (!this.isOpen) return;
    const { socket } = this.#raw;
    this.#raw.end(retryMs === undefined ? undefined : `retry: ${retryMs}\n\n`);
    // What was said goes out; a reader that takes nothing in any more does not hold up the end.
    if (this.#raw.writableLength > MOST_WAITING_BYTES) this.#raw.destroy();
    else socket?.destroySoon();
  }

  #write(text: string): void {
    if (!this.isOpen) return;
    if (this.#raw.writableLength > MOST_WAITING_BYTES) this.#raw.destroy();
    else this.#raw.write(text);
  }
}
