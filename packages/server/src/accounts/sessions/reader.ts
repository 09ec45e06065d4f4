import type { DataSource } from 'typeorm';
import { rowsOf, together, type Outcome, type Statement } from '../../ground/database/together.js';
import type { KeyChanges } from '../../ground/keys/key-changes.js';
import type { SignedIn } from '../../ground/http/principal.js';
import { Problem } from '../../ground/http/problem.js';
import type { Answer, Beside, Reader } from '../../ground/http/reader.js';
import { CHECK_SESSION } from './queries.js';
import { toSignedIn, type OwnSessionCheckRow } from './signed-in.js';
import type { TokenClaims } from './tokens.js';

/** What is answered to who comes with the token of a session that is no more. */
export const endedSession = (): Problem =>
  new Problem('bad-token', 'The token has expired, or its session has ended: refresh it or sign in again.');

/** Reads for who a good token names: whether the session is alive is asked along with the first statement, in one write. */
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
    return this.#viewer ?? this.#confirmed((await together(this.#dataSource, [this.#check()]))[0]!);
  }

  async ask<T>(sql: string, parameters: readonly unknown[], beside: Beside | null = null): Promise<Answer<T>> {
    const statement = { sql, parameters };
    if (beside) {
      const [found, viewer] = await Promise.all([beside.ask(statement), this.confirm()]);
      if (found) return { viewer, outcome: found as Outcome<T> };
    }
    if (this.#viewer) {
      const [outcome] = await together(this.#dataSource, [statement]);
      return { viewer: this.#viewer, outcome: outcome as Outcome<T> };
    }
    const [session, outcome] = await together(this.#dataSource, [this.#check(), statement]);
    return { viewer: this.#confirmed(session!), outcome: outcome as Outcome<T> };
  }

  #check(): Statement {
    return { sql: CHECK_SESSION, parameters: [this.#claims.sessionId, null, this.#claims.keyId] };
  }

  #confirmed(outcome: Outcome): SignedIn {
    const [row] = rowsOf<OwnSessionCheckRow>(outcome);
    if (row) this.#keyChanges.heard(row.keys);
    this.#viewer = row ? toSignedIn(row) : null;
    this.#found(this.#viewer);
    if (!this.#viewer) throw endedSession();
    return this.#viewer;
  }
}
