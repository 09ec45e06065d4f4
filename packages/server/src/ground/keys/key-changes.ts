import type { DataSource } from 'typeorm';

/**
 * Says which signing keys there are, as one number: it is another as soon as one is made or forgotten. For the select list of a statement
 * that reads `signing_keys k`. Cost: one pass over a table of a few rows.
 */
export const KEYS_THERE = `sum(hashtext(k.id::text)::bigint)::text`;

/** Keyrings of one process, which hear of keys that another one made or gave up. */
export class KeyChanges {
  readonly #rings: { forget(): void }[] = [];
  #there: string | null = null;

  /** Tells a keyring from now on. */
  tell(ring: { forget(): void }): void {
    this.#rings.push(ring);
  }

  /** What {@link KEYS_THERE} said just now, with a statement that is asked anyway. */
  heard(there: string | null): void {
    if (there === this.#there) return;
    this.#there = there;
    for (const ring of this.#rings) ring.forget();
  }

  /** Asks it, for a process in which nobody who is signed in calls. */
  async ask(dataSource: DataSource): Promise<void> {
    const [row] = await dataSource.query<{ there: string | null }[]>(
      `SELECT ${KEYS_THERE} AS there FROM signing_keys k`,
    );
    this.heard(row!.there);
  }
}
