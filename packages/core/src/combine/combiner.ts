/** An act with what tells apart the acts that exclude each other: one person on one thing. */
interface Waiting<Act, Result> {
  readonly act: Act;
  readonly key: string;
  readonly resolve: (result: Result) => void;
  readonly reject: (error: unknown) => void;
}

/** How acts are combined. */
export interface CombinerOptions<Act, Result> {
  /** What only one act of a batch may have: a later one with the same key waits for the next batch. */
  readonly keyOf: (act: Act) => string;
  /** Does a batch, all of it or nothing; one result for each act, in their order. */
  readonly work: (acts: readonly Act[]) => Promise<Result[]>;
  /** Most acts of a batch. */
  readonly most: number;
  /** Whether what a batch failed with may be one act's own; if not, none of them is tried again. Any may, where this is left out. */
  readonly mayBeOnes?: (error: unknown) => boolean;
}

/**
 * Combines acts instead of queueing them: while one batch is under way those that come are gathered, and the next batch
 * does them all. So one act alone waits for nothing, and at a rush hundreds share one transaction. Each caller is
 * answered once its own batch is done; when a batch fails, its members are tried one by one, so that one bad act fails
 * alone. A batch of which nobody knows whether it was done is not tried again.
 */
export class Combiner<Act, Result> {
  readonly #options: CombinerOptions<Act, Result>;
  #waiting: Waiting<Act, Result>[] = [];
  #running: Promise<void> | null = null;

  constructor(options: CombinerOptions<Act, Result>) {
    this.#options = options;
  }

  /** Does an act with those that come at the same time. @throws what doing it alone throws */
  do(act: Act): Promise<Result> {
    return new Promise((resolve, reject) => {
      this.#waiting.push({ act, key: this.#options.keyOf(act), resolve, reject });
      this.#running ??= this.#run();
    });
  }

  /** Settles once nothing is waiting or under way. */
  async idle(): Promise<void> {
    await this.#running;
  }

  async #run(): Promise<void> {
    // What comes in the same turn of the event loop shares the first batch.
    await Promise.resolve();
    while (this.#waiting.length > 0) await this.#do(this.#take());
    this.#running = null;
  }

  /** The next batch: acts in the order in which they came, at most one for each key. */
  #take(): Waiting<Act, Result>[] {
    const keys = new Set<string>();
    const [batch, later]: [Waiting<Act, Result>[], Waiting<Act, Result>[]] = [[], []];
    for (const each of this.#waiting) {
      const fits = batch.length < this.#options.most && !keys.has(each.key);
      keys.add(each.key);
      (fits ? batch : later).push(each);
    }
    this.#waiting = later;
    return batch;
  }

  async #do(batch: Waiting<Act, Result>[]): Promise<void> {
    try {
      const results = await this.#options.work(batch.map(({ act }) => act));
      batch.forEach(({ resolve }, i) => resolve(results[i]!));
    } catch (error) {
      const { mayBeOnes = () => true } = this.#options;
      if (batch.length === 1 || !mayBeOnes(error)) return batch.forEach(({ reject }) => reject(error));
      for (const each of batch) await this.#do([each]);
    }
  }
}
