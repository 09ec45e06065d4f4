import { createHash } from 'node:crypto';
import type { DataSource } from 'typeorm';
import type { Querying } from '../database/hot-transaction.js';
import { Problem } from '../http/problem.js';

/** A call that its caller may send again, as `Idempotency-Key` says. */
export interface IdempotentCall {
  readonly userId: string;
  /** Method and path. */
  readonly route: string;
  readonly key: string;
  /** SHA-256 of what was sent. */
  readonly content: Buffer;
}

/** The key of a call, to be taken in the transaction that makes what the call makes. */
export interface Taking {
  /** In this order whoever takes several at once takes them: two who do hold up each other, and never for ever. */
  readonly place: string;
  /** Takes it, before anything else is done. @throws MadeBefore, or Problem `other-content`; the transaction can go on without this call */
  take(transaction: Querying, id: string): Promise<void>;
  /** Gives it back: the call made nothing, while others of the transaction did. */
  leave(transaction: Querying): Promise<void>;
}

/** A repeated call was found to have been made before. */
class MadeBefore extends Error {
  constructor(
    readonly id: string,
    readonly reply: object | null,
  ) {
    super('made before');
  }
}

/**
 * Takes the keys of calls that are done in one transaction.
 * @returns why a call is not to be done, by the id of what it would make
 */
export async function takeAll(
  transaction: Querying,
  calls: readonly { readonly id: string; readonly taking: Taking | null }[],
): Promise<Map<string, { readonly refused: unknown }>> {
  const refused = new Map<string, { refused: unknown }>();
  const keyed = calls.flatMap(({ id, taking }) => (taking ? [{ id, taking }] : []));
  for (const { id, taking } of keyed.sort((a, b) => (a.taking.place < b.taking.place ? -1 : 1)))
    await taking.take(transaction, id).catch((error: unknown) => {
      if (!(error instanceof MadeBefore || error instanceof Problem)) throw error;
      refused.set(id, { refused: error });
    });
  return refused;
}

const LIVES = `interval '24 hours'`;

/**
 * Takes the key, in the transaction that makes what the call makes; one older than a day is taken anew. A second call with
 * the same key waits here until the first has committed, and then gets no row. Cost: one upsert by key.
 */
const TAKE = `
  INSERT INTO repeatable_calls (user_id, route, key, content, made_id) VALUES ($1, $2, $3, $4, $5)
  ON CONFLICT (user_id, route, key) DO UPDATE SET content = excluded.content, made_id = excluded.made_id, reply = NULL, created_at = clock_timestamp()
  WHERE repeatable_calls.created_at < clock_timestamp() - ${LIVES}
  RETURNING made_id`;

const FOUND = `SELECT content, made_id, reply FROM repeatable_calls WHERE user_id = $1 AND route = $2 AND key = $3`;
const LEAVE = `DELETE FROM repeatable_calls WHERE user_id = $1 AND route = $2 AND key = $3`;
const KEEP_REPLY = `UPDATE repeatable_calls SET reply = $4 WHERE user_id = $1 AND route = $2 AND key = $3 AND made_id = $5`;
const FORGET = `DELETE FROM repeatable_calls WHERE created_at < clock_timestamp() - ${LIVES}`;

/** SHA-256 of what a call sends. */
export const contentOf = (...parts: (string | Buffer)[]): Buffer => {
  const hash = createHash('sha256');
  // Each part with its length: parts cannot run into one another.
  for (const part of parts) hash.update(`${Buffer.byteLength(part)}:`).update(part);
  return hash.digest();
};

/** Calls with an `Idempotency-Key`: sent twice, they make one thing and give one answer. */
export class IdempotentCalls {
  readonly #dataSource: DataSource;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /**
   * Makes a thing once.
   * @param call null when the caller sent no key
   * @param make makes it; it has to take the key first in its transaction, with the id of what it makes
   * @param view what is answered, by the thing's id
   * @returns the answer, that of before for a repeated call
   * @throws Problem `other-content` for the same key with something else
   */
  async once<T extends object>(
    call: IdempotentCall | null,
    make: (taking: Taking | null) => Promise<string>,
    view: (id: string) => Promise<T>,
  ): Promise<T> {
    if (!call) return view(await make(null));
    const { userId, route, key } = call;
    try {
      const id = await make({
        place: `${userId} ${route} ${key}`,
        take: (manager, made) => this.#take(manager, call, made),
        leave: async (manager) => void (await manager.query(LEAVE, [userId, route, key])),
      });
      const reply = await view(id);
      await this.#dataSource.query(KEEP_REPLY, [userId, route, key, JSON.stringify(reply), id]);
      return reply;
    } catch (error) {
      if (!(error instanceof MadeBefore)) throw error;
      return (error.reply as T | null) ?? view(error.id);
    }
  }

  /** Forgets keys of more than a day ago. */
  async forget(): Promise<void> {
    await this.#dataSource.query(FORGET);
  }

  async #take(manager: Querying, { userId, route, key, content }: IdempotentCall, id: string): Promise<void> {
    const taken = await manager.query<unknown[]>(TAKE, [userId, route, key, content, id]);
    if (taken.length > 0) return;
    const [before] = await manager.query<{ content: Buffer; made_id: string; reply: object | null }[]>(FOUND, [
      userId,
      route,
      key,
    ]);
    if (!before!.content.equals(content))
      throw new Problem('other-content', 'This Idempotency-Key was used for something else: send a new key.');
    throw new MadeBefore(before!.made_id, before!.reply);
  }
}
