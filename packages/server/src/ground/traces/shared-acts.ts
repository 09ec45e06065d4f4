import { Combiner, type CombinerOptions } from '@gather-lane/core';
import { COMBINED } from '../metrics/channels.js';
import { isDatabaseGone, isTooSlow, OutcomeUnknown } from '../database/gone.js';
import { currentScopes, runFor, type CallScope } from './call-scope.js';

interface Scoped<Act> {
  readonly act: Act;
  readonly scopes: readonly CallScope[];
}

/**
 * Whether what a batch failed with may be one act's own: not that the database went away under it, nor that it took too long, which
 * each of them in turn would wait for again.
 */
export const mayBeOnes = (error: unknown): boolean =>
  !(error instanceof OutcomeUnknown) && !isDatabaseGone(error) && !isTooSlow(error);

/** Combines acts of many calls, and writes down for each call what was done for all of them together. */
export class SharedActs<Act, Result> {
  readonly #combiner: Combiner<Scoped<Act>, Result>;
  readonly #work: CombinerOptions<Act, Result>['work'];

  /** @param acts what they are, for whoever measures */
  constructor(acts: string, { keyOf, work, ...how }: CombinerOptions<Act, Result>) {
    this.#work = work;
    this.#combiner = new Combiner<Scoped<Act>, Result>({
      keyOf: ({ act }) => keyOf(act),
      work: (batch) => {
        if (COMBINED.hasSubscribers) COMBINED.publish({ acts, n: batch.length });
        const scopes = [...new Set(batch.flatMap((each) => each.scopes))];
        const together = () => work(batch.map(({ act }) => act));
        // Where nothing is traced nothing is spent on it.
        return scopes.length === 0 ? together() : runFor(scopes, together);
      },
      ...how,
    });
  }

  /** Does an act with those that come at the same time. @throws what doing it alone throws */
  do(act: Act): Promise<Result> {
    const scopes = currentScopes();
    // What will be rolled back is nobody else's.
    if (scopes[0]?.rehearsal) return this.#work([act]).then(([result]) => result!);
    return this.#combiner.do({ act, scopes });
  }
}
