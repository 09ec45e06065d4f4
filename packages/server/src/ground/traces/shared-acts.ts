import { Combiner, type CombinerOptions } from '@gather-lane/core';
import { currentRehearsal, currentScopes, runFor, type CallScope } from './call-scope.js';

interface Scoped<Act> {
  readonly act: Act;
  readonly scopes: readonly CallScope[];
}

/** Combines acts of many calls, and writes down for each call what was done for all of them together. */
export class SharedActs<Act, Result> {
  readonly #combiner: Combiner<Scoped<Act>, Result>;
  readonly #work: CombinerOptions<Act, Result>['work'];

  constructor({ keyOf, work, most }: CombinerOptions<Act, Result>) {
    this.#work = work;
    this.#combiner = new Combiner<Scoped<Act>, Result>({
      keyOf: ({ act }) => keyOf(act),
      work: (batch) => {
        const scopes = [...new Set(batch.flatMap((each) => each.scopes))];
        const together = () => work(batch.map(({ act }) => act));
        // Where nothing is traced nothing is spent on it.
        return scopes.length === 0 ? together() : runFor(scopes, together);
      },
      most,
    });
  }

  /** Does an act with those that come at the same time. @throws what doing it alone throws */
  async do(act: Act): Promise<Result> {
    // What will be rolled back is nobody else's.
    if (currentRehearsal()) return (await this.#work([act]))[0]!;
    return this.#combiner.do({ act, scopes: currentScopes() });
  }
}
