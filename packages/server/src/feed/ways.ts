import {
  firstStep,
  hintAfter,
  isExhaustive,
  newerStep,
  wayAfter,
  type FindHint,
  type FindStep,
  type FindWay,
  type FoundPage,
  type NewerStep,
} from '@gather-lane/core';
import type { FeedOrder } from './finding.js';
import { factsOf, followsOf, type FeedPageRow, type Follows } from './page-queries.js';
import { Sieves } from './sieves.js';

/** About 8 MB of them; the first are forgotten first. */
const MOST_HINTS = 30_000;

/** Which page of which feed is looked for. */
interface Sought {
  readonly userId: string;
  readonly order: FeedOrder;
  /** Where the cursor stands; null for a first page. */
  readonly from: number | null;
  /** How many entries make it whole. */
  readonly entries: number;
}

/**
 * By which way the last page of each feed was found, and what it covered, as far as this process read it. A guess that is wrong costs
 * time, never a post: so nothing is lost with it, and processes need not agree.
 */
export class Ways {
  readonly #hints = new Map<string, FindHint>();
  readonly sieves: Sieves;

  constructor(sieves = new Sieves()) {
    this.sieves = sieves;
  }

  /**
   * The rows of a page, read the way that found the last one, and by others where that does not fill it.
   * @param read reads them by one way
   */
  async find(
    { userId, order, from, entries }: Sought,
    read: (step: FindStep) => Promise<FeedPageRow[]>,
  ): Promise<FeedPageRow[]> {
    const [hint, sieve] = [this.#hints.get(`${userId} ${order}`), await this.sieves.of(userId)];
    let step = firstStep(hint, { from, entries, now: Date.now(), sieve });
    let rows = await read(step);
    if (step.way === 'sieve' && ofPage(rows).state !== step.sieve.of) {
      // Whom they have come to follow since does not pass.
      step = firstStep(hint, { from, entries, now: Date.now() });
      rows = await read(step);
    }
    let [used, failed]: [FindWay, FindWay[]] = [step.way, []];
    while (rows.length < entries && !isExhaustive(used)) {
      const way = wayAfter(used);
      failed = [...failed, used];
      [used, rows] = [way, await read({ way })];
    }
    const [filled, first, last] = [rows.length >= entries, Date.parse(rows[0]!.key), Date.parse(rows.at(-1)!.key)];
    const { following, state } = ofPage(rows);
    this.learn(userId, order, { used, failed, filled, following, from, entries, first, last });
    if (used === 'sweep' || used === 'probe' || used === 'sieve')
      this.sieves.learn(userId, { sieved: used === 'sieve', following, state });
    return rows;
  }

  /**
   * What stands above a mark in a feed, counted the way that suits the feed, and by another where that gives up.
   * @param count counts it by one way
   */
  async countNewer<T extends { readonly follows: string | null }>(
    { userId, order }: Pick<Sought, 'userId' | 'order'>,
    count: (step: NewerStep) => Promise<T>,
  ): Promise<T> {
    const step = newerStep(this.#hints.get(`${userId} ${order}`), await this.sieves.of(userId));
    const counted = await count(step);
    if (step.way !== 'sieve') return counted;
    if (counted.follows !== null) {
      const { following, state } = followsOf(counted.follows);
      const sieved = state === step.sieve.of;
      this.sieves.learn(userId, { sieved, following, state });
      if (sieved) return counted;
    }
    return count({ way: 'walk' });
  }

  /** Keeps what a page told. */
  learn(userId: string, order: FeedOrder, page: Omit<FoundPage, 'readAt'>): void {
    const feed = `${userId} ${order}`;
    const hint = this.#hints.get(feed);
    if (!hint && this.#hints.size >= MOST_HINTS) this.#hints.delete(this.#hints.keys().next().value!);
    this.#hints.set(feed, hintAfter(hint, { ...page, readAt: Date.now() }));
  }
}

const ofPage = (rows: readonly FeedPageRow[]): Follows => followsOf(factsOf(rows).follows);
