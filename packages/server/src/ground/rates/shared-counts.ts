import { createHash } from 'node:crypto';
import type { DataSource } from 'typeorm';

/**
 * Adds what was counted here ($1 keys, $2 how often, $3 seconds of their windows) to what was counted everywhere. In the order of the keys,
 * so that two processes wait for each other in one order. Cost: one row each.
 */
const ADD = `
  INSERT INTO call_counts AS c (key, n, ends_at)
  SELECT k.key, k.n, clock_timestamp() + make_interval(secs => k.seconds)
  FROM unnest($1::text[], $2::integer[], $3::double precision[]) AS k (key, n, seconds) ORDER BY k.key
  ON CONFLICT (key) DO UPDATE SET
    n = CASE WHEN c.ends_at <= clock_timestamp() THEN excluded.n ELSE least(c.n::bigint + excluded.n, 2147483647)::integer END,
    ends_at = CASE WHEN c.ends_at <= clock_timestamp() THEN excluded.ends_at ELSE c.ends_at END
  RETURNING key, n, (extract(epoch FROM ends_at - clock_timestamp()) * 1000)::double precision AS left`;
const FORGET = `DELETE FROM call_counts WHERE ends_at < clock_timestamp()`;

/** How often somebody called in the present window, and milliseconds until the next one. */
export interface Count {
  readonly current: number;
  readonly ttl: number;
}

interface Counted {
  /** A hash: whoever reads the table learns no addresses. */
  readonly key: string;
  readonly windowMs: number;
  /** What all processes counted, as far as it is known here. */
  there: number;
  /** Whether it was heard of in this window: whoever comes first may be the last whom the others let through. */
  heard: boolean;
  /** What was counted here and nobody else knows yet: first those who were let go on, then those who wait to hear how many there are. */
  untold: number;
  /** Of those that are being told. */
  telling: number;
  waiting: ((count: Count) => void)[];
  endsAt: number;
}

/** What is counted here is told to the others so often. */
const TELL_MS = 100;
/** Below this part of a limit nobody waits to hear of the others but the first in a window; as many processes as parts let no more through together than one. */
const UNHEARD = 1 / 8;
/** So long somebody waits to hear of them: a database that is away stops no calls from being counted here. */
const HEARD_WITHIN_MS = 5_000;
/** About 20 MB of them; the first are forgotten first. */
const MOST_KEYS = 50_000;

/** Counts calls over all processes of a database: exactly where somebody is near a limit, and without waiting where they are not. */
export class SharedCounts {
  readonly #dataSource: DataSource;
  readonly #counted = new Map<string, Counted>();
  /** Those with something to tell. */
  readonly #untold = new Set<Counted>();
  #timer: NodeJS.Timeout | undefined;
  #telling: Promise<void> | undefined;
  #stopped = false;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /**
   * Counts a call.
   * @param of what is counted and for whom
   * @param most how many may be let through in a window; whoever is above already is not counted on
   */
  count(of: string, windowMs: number, most: number): Count | Promise<Count> {
    const counted = this.#of(of, windowMs);
    const left = counted.endsAt - Date.now();
    if (counted.there > most) return { current: counted.there + 1, ttl: left };
    const here = counted.there + counted.telling + counted.untold + counted.waiting.length + 1;
    this.#untold.add(counted);
    if ((counted.heard && here <= most * UNHEARD) || this.#stopped) {
      counted.untold++;
      this.#timer ??= setTimeout(() => this.#tell(), TELL_MS).unref();
      return { current: here, ttl: left };
    }
    return new Promise<Count>((resolve) => {
      const unheard = setTimeout(() => {
        // Nobody after them waits for what does not come.
        counted.heard = true;
        resolve({ current: here, ttl: left });
      }, HEARD_WITHIN_MS).unref();
      counted.waiting.push((count) => {
        clearTimeout(unheard);
        resolve(count);
      });
      this.#tell();
    });
  }

  /** Forgets windows that are over. */
  async forget(): Promise<void> {
    await this.#dataSource.query(FORGET);
  }

  /** Tells nobody any more, once what is being told is. */
  async stop(): Promise<void> {
    this.#stopped = true;
    clearTimeout(this.#timer);
    await this.#telling;
  }

  #of(of: string, windowMs: number): Counted {
    const there = this.#counted.get(of);
    if (there && there.endsAt > Date.now()) return there;
    if (there) this.#counted.delete(of);
    else if (this.#counted.size >= MOST_KEYS) this.#counted.delete(this.#counted.keys().next().value!);
    const key = createHash('sha256').update(of).digest('base64url');
    const counted = {
      key,
      windowMs,
      there: 0,
      heard: false,
      untold: 0,
      telling: 0,
      waiting: [],
      endsAt: Date.now() + windowMs,
    };
    this.#counted.set(of, counted);
    return counted;
  }

  /** One telling at a time: what comes meanwhile goes with the next. */
  #tell(): void {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    this.#telling ??= this.#tellAll();
  }

  async #tellAll(): Promise<void> {
    // What comes in the same turn of the event loop goes along.
    await Promise.resolve();
    while (this.#untold.size > 0 && !this.#stopped) {
      const batch = [...this.#untold].map((counted) => ({ counted, waiting: counted.waiting, untold: counted.untold }));
      this.#untold.clear();
      for (const { counted } of batch) {
        counted.telling = counted.untold + counted.waiting.length;
        counted.waiting = [];
        counted.untold = 0;
      }
      await this.#tellBatch(batch);
    }
    // At once: whoever comes from here on begins anew.
    this.#telling = undefined;
  }

  async #tellBatch(batch: readonly { counted: Counted; waiting: Counted['waiting']; untold: number }[]): Promise<void> {
    const sent = batch.map(({ counted, waiting, untold }) => [
      counted.key,
      untold + waiting.length,
      counted.windowMs / 1000,
    ]);
    const columns = [0, 1, 2].map((i) => sent.map((each) => each[i]));
    const rows = await this.#dataSource
      .query<{ key: string; n: number; left: number }[]>(ADD, columns)
      // Each counts for itself until the database is back.
      .catch(() => []);
    const told = new Map(rows.map((row) => [row.key, row]));
    for (const { counted, waiting, untold } of batch) {
      const { n, left } = told.get(counted.key) ?? {
        n: counted.there + untold + waiting.length,
        left: counted.endsAt - Date.now(),
      };
      counted.there = n;
      counted.heard = true;
      counted.telling = 0;
      counted.endsAt = Date.now() + left;
      // In the order in which they came, after all who were counted before.
      waiting.forEach((heard, i) => heard({ current: n - waiting.length + 1 + i, ttl: Math.max(0, left) }));
    }
  }
}
