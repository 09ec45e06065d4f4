import type { Owned } from '@gather-lane/core';
import { IsNull, type DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { Config } from '../config/schema.js';
import { inTransaction } from '../database/transaction.js';
import type { SignedIn } from '../http/principal.js';
import { invalid, Problem } from '../http/problem.js';
import { Credential } from '../users/credential.entity.js';
import type { Users } from '../users/service.js';
import { toWeighting, type WeightingColumns } from '../weighting/queries.js';
import { hashPassword, isPassword } from './passwords.js';
import {
  CHANGE_PASSWORD,
  CHECK_SESSION,
  END_REUSED_SESSION,
  END_SESSIONS,
  LIST_SESSIONS,
  ROTATE_SESSION,
  type SessionRow,
} from './queries.js';
import { Session } from './session.entity.js';
import { AccessTokens, hashRefreshToken, makeRefreshToken, sessionOfRefreshToken } from './tokens.js';

const ACTING_HOURS = 8;

/** What a caller gets for signing in; an acting session has no refresh token. */
export interface Tokens {
  readonly userId: string;
  readonly accessToken: string;
  readonly refreshToken: string | null;
  /** Seconds until the access token expires. */
  readonly expiresIn: number;
}

/** Signing in and out. */
export class Sessions {
  readonly #dataSource: DataSource;
  readonly #users: Users;
  readonly #tokens: AccessTokens;
  readonly #config: Config['sessions'];
  readonly #demo: boolean;

  constructor(dataSource: DataSource, users: Users, config: Config['sessions'], demo: boolean) {
    this.#dataSource = dataSource;
    this.#users = users;
    this.#tokens = new AccessTokens(dataSource);
    this.#config = config;
    this.#demo = demo;
  }

  /**
   * Signs in by handle or e-mail.
   * @throws Problem `wrong-sign-in`, the same and as slow for an unknown user as for a wrong password
   */
  async signIn(login: string, password: string): Promise<Tokens> {
    const credential = await this.#users.credentialOf(login);
    const right = await isPassword(password, credential?.passwordHash);
    if (!credential || !right || (credential.demo && !this.#demo))
      throw new Problem('wrong-sign-in', 'No account has this handle or e-mail with this password.');
    return this.#open(credential.userId, false);
  }

  /** Opens a short, marked session in which the operator acts as a user. */
  actAs(userId: string): Promise<Tokens> {
    return this.#open(userId, true);
  }

  /** @throws Problem `bad-token` for a refresh token that is not the session's current one */
  async refresh(token: string): Promise<Tokens> {
    const id = sessionOfRefreshToken(token);
    if (!id) throw new Problem('bad-token', 'This is not a refresh token.');
    const [old, next] = [hashRefreshToken(token), makeRefreshToken(id)];
    const [rows] = await this.#dataSource.query<[{ user_id: string }[], number]>(ROTATE_SESSION, [
      id,
      old,
      hashRefreshToken(next),
      this.#config.refreshDays,
    ]);
    if (!rows[0]) {
      await this.#dataSource.query(END_REUSED_SESSION, [id, old]);
      throw new Problem('bad-token', 'The session has ended, or this refresh token was used before: sign in again.');
    }
    return this.#tokensFor(id, rows[0].user_id, next);
  }

  /** The session of a good access token that has not ended, or null. One statement. */
  async check(accessToken: string): Promise<SignedIn | null> {
    const id = await this.#tokens.read(accessToken);
    if (!id) return null;
    const [row] = await this.#dataSource.query<({ id: string; user_id: string; handle: string } & WeightingColumns)[]>(
      CHECK_SESSION,
      [id],
    );
    return row ? { id: row.id, userId: row.user_id, handle: row.handle, weighting: toWeighting(row) } : null;
  }

  /** Ends a session: its tokens are refused from then on. */
  async end(id: string): Promise<void> {
    await this.#dataSource.query(
      `UPDATE sessions SET ended_at = clock_timestamp() WHERE id = $1 AND ended_at IS NULL`,
      [id],
    );
  }

  /** A user's live sessions, the one renewed last first. */
  list(userId: string): Promise<SessionRow[]> {
    return this.#dataSource.query<SessionRow[]>(LIST_SESSIONS, [userId]);
  }

  /** Whose a live session is, or null. */
  async owned(id: string): Promise<Owned | null> {
    const session = await this.#dataSource.manager.findOneBy(Session, { id, endedAt: IsNull() });
    return session && { ownerId: session.userId, version: 1 };
  }

  /** Ends all of a user's sessions, the present one too: signs out everywhere. */
  async endAll(userId: string): Promise<void> {
    await this.#dataSource.query(END_SESSIONS, [userId, null]);
  }

  /**
   * Changes a password and ends the user's other sessions, at once: whoever knew the old one is out.
   * @throws Problem `invalid` when the present password is not right
   */
  async changePassword({ id, userId }: SignedIn, current: string, next: string): Promise<void> {
    const credential = await this.#dataSource.manager.findOneBy(Credential, { userId });
    const right = await isPassword(current, credential?.passwordHash);
    if (!credential || !right) throw invalid('/current', 'is not the password of this account');
    const hash = await hashPassword(next);
    await inTransaction(this.#dataSource, async (manager) => {
      const [rows] = await manager.query<[unknown[], number]>(CHANGE_PASSWORD, [userId, credential.passwordHash, hash]);
      if (rows.length === 0) throw invalid('/current', 'is not the password of this account any more');
      await manager.query(END_SESSIONS, [userId, id]);
    });
  }

  async #open(userId: string, acting: boolean): Promise<Tokens> {
    const id = uuidv7();
    const refreshToken = acting ? null : makeRefreshToken(id);
    const hours = acting ? ACTING_HOURS : this.#config.refreshDays * 24;
    await this.#dataSource
      .createQueryBuilder()
      .insert()
      .into(Session)
      .values({
        id,
        userId,
        acting,
        refreshHash: refreshToken ? hashRefreshToken(refreshToken) : null,
        expiresAt: () => `clock_timestamp() + make_interval(hours => ${hours})`,
      })
      .execute();
    return this.#tokensFor(id, userId, refreshToken);
  }

  async #tokensFor(id: string, userId: string, refreshToken: string | null): Promise<Tokens> {
    const expiresIn = refreshToken ? this.#config.accessMinutes * 60 : ACTING_HOURS * 3600;
    return { userId, accessToken: await this.#tokens.sign(id, userId, expiresIn), refreshToken, expiresIn };
  }
}
