import { randomBytes } from 'node:crypto';
import type { DataSource } from 'typeorm';
import { setTimeout as pause } from 'node:timers/promises';
import { v7 as uuidv7 } from 'uuid';
import type { KeyChanges } from './key-changes.js';
import { SigningKey, type KeyPurpose } from './signing-key.entity.js';

const FORGET_KEYS = `
  DELETE FROM signing_keys k WHERE k.purpose = $1 AND EXISTS (
    SELECT FROM signing_keys n WHERE n.purpose = k.purpose AND (n.created_at, n.id) > (k.created_at, k.id)
      AND n.created_at < clock_timestamp() - make_interval(secs => $2))`;
const FORGET_ALL_BUT_NEWEST = `
  DELETE FROM signing_keys WHERE purpose = $1
    AND id <> (SELECT id FROM signing_keys WHERE purpose = $1 ORDER BY created_at DESC, id DESC LIMIT 1)`;
const IS_OLD = `
  SELECT max(created_at) < clock_timestamp() - make_interval(days => $2) AS old FROM signing_keys WHERE purpose = $1`;

/** For how long a key is used without looking whether there is a newer one, where nobody says so. */
export const RELOAD_MS = 60_000;
/** Another process may have made a key since; but no flood of made-up ones makes a flood of statements: they wait together. */
const LOOK_AGAIN_MS = 50;

/**
 * The keys of one purpose, which all processes of a database share. The newest signs, all that are there verify.
 * @typeParam K a key as it signs and verifies; made once for each
 */
export class Keyring<K> {
  readonly #dataSource: DataSource;
  readonly #purpose: KeyPurpose;
  readonly #ready: (key: SigningKey) => K | Promise<K>;
  #keys: Promise<readonly K[]> | undefined;
  /** Those that came last; none while they are asked for. */
  #known: readonly K[] = [];
  #loadedAt = 0;
  #lookingAgain: Promise<readonly K[]> | undefined;

  constructor(
    dataSource: DataSource,
    changes: KeyChanges,
    purpose: KeyPurpose,
    ready: (key: SigningKey) => K | Promise<K>,
  ) {
    this.#dataSource = dataSource;
    this.#purpose = purpose;
    this.#ready = ready;
    changes.tell(this);
  }

  /** The key that signs what is written many times a second: the newest that this process has heard of. */
  async newest(): Promise<K> {
    return (await this.#load())[0]!;
  }

  /** The key that signs what is to be good at every process now: the newest that there is. */
  async newestOfAll(): Promise<K> {
    this.forget();
    return this.newest();
  }

  /** All keys, the newest first; those of this moment where none of the known ones is meant. */
  async all(isMeant: (key: K) => boolean): Promise<readonly K[]> {
    const known = await this.#load();
    return known.some(isMeant) ? known : (this.#lookingAgain ??= this.#lookAgain());
  }

  /** A key that is known and need not be looked for again yet; undefined where it may have to be. For what every call does. */
  known(isMeant: (key: K) => boolean): K | undefined {
    return Date.now() - this.#loadedAt <= RELOAD_MS ? this.#known.find(isMeant) : undefined;
  }

  /**
   * Makes a new key, which signs from now on. Older ones go on verifying what they signed.
   * @param atOnce drops the older ones now
   */
  async rotate(atOnce: boolean): Promise<void> {
    await this.#dataSource.manager.insert(SigningKey, {
      id: uuidv7(),
      secret: randomBytes(48),
      purpose: this.#purpose,
    });
    if (atOnce) await this.#dataSource.query(FORGET_ALL_BUT_NEWEST, [this.#purpose]);
    this.forget();
  }

  /** Keys may be others by now: they are asked for when they are next needed. */
  forget(): void {
    this.#keys = undefined;
    this.#known = [];
  }

  /** Makes a new key where the newest is older than so many days. */
  async rotateAfter(days: number): Promise<void> {
    const [row] = await this.#dataSource.query<{ old: boolean | null }[]>(IS_OLD, [this.#purpose, days]);
    if (row?.old) await this.rotate(false);
  }

  /** Forgets keys whose successor is older than anything that they signed is good for. */
  async forgetOld(longestSeconds: number): Promise<void> {
    await this.#dataSource.query(FORGET_KEYS, [this.#purpose, longestSeconds + RELOAD_MS / 1000]);
  }

  async #lookAgain(): Promise<readonly K[]> {
    await pause(LOOK_AGAIN_MS);
    // Whoever comes from here on waits for the next look: this one may not see what theirs was signed with.
    this.#lookingAgain = undefined;
    this.forget();
    return this.#load();
  }

  #load(): Promise<readonly K[]> {
    if (this.#keys && Date.now() - this.#loadedAt <= RELOAD_MS) return this.#keys;
    this.#loadedAt = Date.now();
    this.#known = [];
    const keys = this.#loadOrMake()
      .then((rows) => Promise.all(rows.map(this.#ready)))
      .then(
        (ready) => {
          // Unless they were given up meanwhile.
          if (this.#keys === keys) this.#known = ready;
          return ready;
        },
        (error: unknown) => {
          if (this.#keys === keys) this.#keys = undefined;
          throw error;
        },
      );
    this.#keys = keys;
    return keys;
  }

  async #loadOrMake(): Promise<SigningKey[]> {
    const wanted = { where: { purpose: this.#purpose }, order: { createdAt: 'DESC', id: 'DESC' } } as const;
    const keys = await this.#dataSource.manager.find(SigningKey, wanted);
    if (keys.length > 0) return keys;
    return this.#dataSource.transaction(async (manager) => {
      // Two processes that start at once on an empty table agree on one key.
      await manager.query(`LOCK TABLE signing_keys IN SHARE ROW EXCLUSIVE MODE`);
      const there = await manager.find(SigningKey, wanted);
      const made = { id: uuidv7(), secret: randomBytes(48), purpose: this.#purpose };
      return there.length > 0 ? there : [await manager.save(manager.create(SigningKey, made))];
    });
  }
}
