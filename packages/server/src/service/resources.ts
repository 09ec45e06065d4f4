import { setTimeout as pause } from 'node:timers/promises';

interface Held {
  readonly name: string;
  readonly close: () => Promise<unknown> | void;
}

/** Whatever comes last still gets so long, however late it is. */
const LEAST_MS = 1_000;

/** What a service or a command holds, to be given free in the reverse order. */
export class Resources {
  readonly #held: Held[] = [];

  /** Notes that something is held now. @param name says what, should closing it fail */
  add(name: string, close: Held['close']): void {
    this.#held.push({ name, close });
  }

  /**
   * Gives everything free, each thing whatever became of those before it.
   * @param withinMs how long all of it may take; what is not done by then is left behind
   * @throws AggregateError of what went wrong, once all is done
   */
  async close(withinMs = 60_000): Promise<void> {
    const deadline = Date.now() + withinMs;
    const errors: Error[] = [];
    for (let next = this.#held.pop(); next; next = this.#held.pop())
      await inTime(next, Math.max(LEAST_MS, deadline - Date.now())).catch((error: unknown) => {
        errors.push(error instanceof Error ? error : new Error(String(error)));
      });
    if (errors.length > 0) throw new AggregateError(errors, errors.map(({ message }) => message).join('; '));
  }
}

async function inTime({ name, close }: Held, ms: number): Promise<void> {
  const late = new AbortController();
  try {
    await Promise.race([
      close(),
      pause(ms, undefined, { signal: late.signal, ref: true }).then(() => {
        throw new Error(`${name} did not end within ${Math.round(ms / 1000)} s`);
      }),
    ]);
  } finally {
    late.abort();
  }
}
