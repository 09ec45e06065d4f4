import type { DataSource } from 'typeorm';
import { rowsOf, together, type Outcome } from '../../ground/database/together.js';
import type { KeyChanges } from '../../ground/keys/key-changes.js';
import type { SignedIn } from '../../ground/http/principal.js';
import { Problem } from '../../ground/http/problem.js';
import {
  NO_SESSION,
  type Answer,
  type Beside,
  type Reader,
  type SessionAsked,
  type SessionLooked,
} from '../../ground/http/reader.js';
import { CHECK_SESSION } from './queries.js';
import { toSignedIn, type OwnSessionCheckRow } from './signed-in.js';
import type { TokenClaims } from './tokens.js';

/** What is answered to who comes with the token of a session that is no more. */
export const endedSession = (): Problem =>
  new Problem('bad-token', 'The token has expired, or its session has ended: refresh it or sign in again.');

/** Reads for who a good token names: the first statement looks whether the session is alive, too. */
export class SessionReader implements Reader {
  readonly userId: string;
  readonly #claims: TokenClaims;
  readonly #dataSource: DataSource;
  readonly #keyChanges: KeyChanges;
  readonly #found: (session: SignedIn | null) => void;
  #viewer: SignedIn | null = null;

  /** @param found told of the session once it was looked at; null where it has ended */
  constructor(
    dataSource: DataSource,
    keyChanges: KeyChanges,
    claims: TokenClaims,
    found: (session: SignedIn | null) => void,
  ) {
    this.userId = claims.userId;
    this.#claims = claims;
    this.#dataSource = dataSource;
    this.#keyChanges = keyChanges;
    this.#found = found;
  }

  async confirm(): Promise<SignedIn> {
    if (this.#viewer) return this.#viewer;
    const { sessionId, keyId } = this.#claims;
    const [outcome] = await together(this.#dataSource, [{ sql: CHECK_SESSION, parameters: [sessionId, null, keyId] }]);
    return this.#looked(rowsOf<OwnSessionCheckRow>(outcome!)[0] ?? null);
  }

  async ask<T extends SessionLooked>(
    sql: string,
    parameters: (session: SessionAsked) => unknown[],
    beside: Beside | null = null,
  ): Promise<Answer<T>> {
    if (beside) {
      const [found, viewer] = await Promise.all([
        beside.ask({ sql, parameters: parameters(NO_SESSION) }),
        this.confirm(),
      ]);
      if (found) return { viewer, outcome: found as Outcome<T> };
    }
    const session: SessionAsked = this.#viewer ? NO_SESSION : [this.#claims.sessionId, this.#claims.keyId];
    const [answer] = await together(this.#dataSource, [{ sql, parameters: parameters(session) }]);
    const outcome = answer as Outcome<T>;
    // Whether they may hear what went wrong is decided first.
    if (this.#viewer || 'error' in outcome) return { viewer: await this.confirm(), outcome };
    return { viewer: this.#looked(outcome.rows[0]!.session as OwnSessionCheckRow | null), outcome };
  }

  #looked(row: OwnSessionCheckRow | null): SignedIn {
    if (row) this.#keyChanges.heard(row.keys);
    this.#viewer = row ? toSignedIn(row) : null;
    this.#found(this.#viewer);
    if (!this.#viewer) throw endedSession();
    return this.#viewer;
  }
}
