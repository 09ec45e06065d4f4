/** What a transaction of a {@link Succession} waits for. */
export interface Turn {
  /** Until the one before is committed. */
  readonly preceding: Promise<void>;
  /** Does what touches nothing that the one before does, once that has done as much: so whoever holds a row for it waits for nobody. */
  own(work: () => Promise<unknown>): Promise<void>;
}

/**
 * Transactions that are under way beside each other and end one after the other: each does what is of its own beside the one before, waits
 * for that to be committed, and then does what both touch. Where one fails, so do those that began after it.
 *
 * That one connection waits for another here is not known to the database: were a third to stand between the two, it could not see the
 * circle. So each is to have {@link NOT_FOR_EVER}.
 */
export class Succession {
  #ended: Promise<void> = Promise.resolve();
  #own: Promise<void> = Promise.resolve();

  /** Once all that began have ended. @throws what went wrong with the first that failed */
  get ended(): Promise<void> {
    return this.#ended;
  }

  /** Begins the next. @param work is to commit once `preceding` is over */
  begin(work: (turn: Turn) => Promise<void>): void {
    const [preceding, ownPreceding] = [this.#ended, this.#own];
    const own = signal();
    const turn: Turn = {
      preceding,
      async own(part) {
        await ownPreceding;
        await part();
        own.give();
      },
    };
    this.#ended = work(turn);
    this.#own = own.given;
    // Whoever waits for it hears what went wrong.
    this.#ended.then(own.give, own.give);
  }
}

/** Takes a transaction back that waits for a lock for so long. */
export const NOT_FOR_EVER = `SET LOCAL lock_timeout = '60s'`;

/** Something that is waited for. */
export function signal(): { readonly given: Promise<void>; readonly give: () => void } {
  let give = (): void => undefined;
  const given = new Promise<void>((resolve) => (give = resolve));
  return { given, give };
}
