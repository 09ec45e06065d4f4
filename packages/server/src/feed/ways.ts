import { hintAfter, type FindHint, type FindWay } from '@gather-lane/core';
import type { FeedOrder } from './finding.js';

/** About 8 MB of them; the first are forgotten first. */
const MOST_HINTS = 50_000;

/**
 * By which way the last page of each feed was found, as far as this process read it. A guess that is wrong costs time, never a
 * post: so nothing is lost with it, and processes need not agree.
 */
export class Ways {
  readonly #hints = new Map<string, FindHint>();

  /** The way to try first. A sweep of a feed that nobody knows reads as much as its viewer follows, whatever that is. */
  of(userId: string, order: FeedOrder): FindWay {
    return this.#hints.get(`${userId} ${order}`)?.way ?? 'sweep';
  }

  /** Keeps what a page told. @param filled whether the way that was tried first gave a whole page */
  learn(userId: string, order: FeedOrder, used: FindWay, filled: boolean, following: number): void {
    const feed = `${userId} ${order}`;
    const hint = this.#hints.get(feed);
    const next = hintAfter(hint, used, filled, following);
    if (next.way === hint?.way && next.byHeads === hint.byHeads) return;
    if (!hint && this.#hints.size >= MOST_HINTS) this.#hints.delete(this.#hints.keys().next().value!);
    this.#hints.set(feed, next);
  }
}
