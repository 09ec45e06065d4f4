import { NOTHING_SEEN, readLogPlace } from '@gather-lane/core';
import type { Standby } from './standby.js';

/** The servers at which pages may be read, beside the primary. */
export class Standbys {
  readonly all: readonly Standby[];
  readonly #mostAge: number;
  #turn = 0;

  /** @param mostAge how old what is read there may be, in seconds */
  constructor(all: readonly Standby[], mostAge: number) {
    this.all = all;
    this.#mostAge = mostAge;
  }

  /** Whether there are any: without them nobody needs to say what they have seen. */
  get some(): boolean {
    return this.all.length > 0;
  }

  /**
   * A standby that has replayed what somebody has seen, each in its turn; null where the primary must be asked. Who says nothing of what
   * they have seen reads at the primary: nobody knows what they wrote.
   * @param seen how far they have seen, in the log
   * @param and how far what they go on from had seen
   */
  at(seen: string | null, and?: string): Standby | null {
    if (seen === null || this.all.length === 0) return null;
    const latest = [seen, and ?? seen]
      .map((place) => readLogPlace(place) ?? NOTHING_SEEN)
      .reduce((a, b) => (a > b ? a : b));
    const serving = this.all.filter((standby) => standby.serves(latest, this.#mostAge));
    return serving.length === 0 ? null : serving[this.#turn++ % serving.length]!;
  }
}

/** Where there are none. */
export const NO_STANDBYS = new Standbys([], 0);
