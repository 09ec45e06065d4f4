import { decideRefresh, foldHandle, type Owned, type RefreshState } from '@gather-lane/core';
import { IsNull, type DataSource, type EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { Config } from '../../ground/config/schema.js';
import type { KeyChanges } from '../../ground/keys/key-changes.js';
import { inTransaction } from '../../ground/database/transaction.js';
import type { SignedIn } from '../../ground/http/principal.js';
import type { Reader } from '../../ground/http/reader.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import type { DeniedAttempts } from '../denied-attempts/service.js';
import { Credential } from '../users/credential.entity.js';
import type { Users } from '../users/service.js';
import { hashPassword, isPassword } from './passwords.js';
import {
  CHANGE_PASSWORD,
  CHECK_SESSION,
  END_SESSION,
  END_SESSIONS,
  END_STOLEN_SESSION,
  FORGET_CREDENTIALS,
  FORGET_REFRESH_TOKENS,
  FORGET_SESSIONS,
  HOLD_SESSION,
  KEEP_REFRESH_TOKEN,
  LIST_SESSIONS,
  REFRESH_STATE,
  RENEW_SESSION,
  USE_REFRESH_TOKEN,
  type HeldSessionRow,
  type SessionRow,
} from './queries.js';
import { SessionReader } from './reader.js';
import { toSignedIn, type OwnSessionCheckRow } from './signed-in.js';
import { Session } from './session.entity.js';
import { Throttle } from './throttle.js';
import { AccessTokens, hashOf, makeRefreshToken, readRefreshToken, writeRefreshToken } from './tokens.js';

const ACTING_HOURS = 8;

/** What a caller gets for signing in; an acting session has no refresh token, one of a browser only its cookie. */
export interface Tokens {
  readonly userId: string;
  readonly accessToken: string | null;
  readonly refreshToken: string | null;
  /** Seconds until the access token, or the cookie, expires. */
  readonly expiresIn: number;
  readonly cookie: string | null;
}

/** Signing in and out. */
export class Sessions {
  readonly #dataSource: DataSource;
  readonly #users: Users;
  readonly #denied: DeniedAttempts;
  readonly #throttle: Throttle;
  readonly #tokens: AccessTokens;
  readonly #keyChanges: KeyChanges;
  readonly #config: Config['sessions'];
  readonly #demo: boolean;

  constructor(
    dataSource: DataSource,
    others: { readonly users: Users; readonly denied: DeniedAttempts; readonly keyChanges: KeyChanges },
    config: Config['sessions'],
    demo: boolean,
  ) {
    this.#dataSource = dataSource;
    this.#users = others.users;
    this.#denied = others.denied;
    this.#throttle = new Throttle(dataSource);
    this.#tokens = new AccessTokens(dataSource, others.keyChanges);
    this.#keyChanges = others.keyChanges;
    this.#config = config;
    this.#demo = demo;
  }

  /**
   * Signs in by handle or e-mail.
   * @param address whence the attempt comes
   * @throws Problem `wrong-sign-in`, the same and as slow for an unknown user as for a wrong password; `too-often`
   */
  async signIn(login: string, password: string, address: string, byCookie: boolean): Promise<Tokens> {
    const credential = await this.#users.credentialOf(login);
    const account = credential?.userId ?? login.trim().toLowerCase();
    await this.#throttle.attempt(account, address);
    const right = await isPassword(password, credential?.passwordHash);
    if (!credential || !right || (credential.demo && !this.#demo))
      throw new Problem('wrong-sign-in', 'No account has this handle or e-mail with this password.');
    await this.#throttle.succeeded(account, address);
    return this.open(credential.userId, byCookie ? 'cookie' : 'token');
  }

  /** Opens a short, marked session in which the operator acts as a user. */
  actAs(userId: string, byCookie = false): Promise<Tokens> {
    return this.open(userId, byCookie ? 'acting-cookie' : 'acting');
  }

  /**
   * New tokens for a refresh token. One that is sent again gets others of its own; one that somebody else must have too ends
   * the session. See {@link decideRefresh}.
   * @throws Problem `bad-token`
   */
  async refresh(text: string): Promise<Tokens> {
    const token = readRefreshToken(text);
    if (!token) throw new Problem('bad-token', 'This is not a refresh token.');
    const { sessionId, family, secret } = token;
    const next = makeRefreshToken(sessionId, family);
    const [sent, made] = [hashOf(secret), hashOf(next.secret)];
    const done = await inTransaction(this.#dataSource, async (manager) => {
      const [session] = await manager.query<HeldSessionRow[]>(HOLD_SESSION, [sessionId]);
      // Any token of the session is known by what they have in common, so nobody ends a session by its id alone.
      if (!session?.family_hash?.equals(hashOf(family))) return null;
      const [state = null] = await manager.query<RefreshState[]>(REFRESH_STATE, [sessionId, sent]);
      const decision = decideRefresh(state);
      if (decision === 'stolen') await manager.query(END_STOLEN_SESSION, [sessionId]);
      else {
        await manager.query(USE_REFRESH_TOKEN, [sent]);
        await manager.query(KEEP_REFRESH_TOKEN, [made, sessionId, sent]);
        await manager.query(RENEW_SESSION, [sessionId, this.#config.refreshDays]);
        await manager.query(FORGET_REFRESH_TOKENS, [sessionId]);
      }
      return { userId: session.user_id, decision };
    });
    if (done?.decision === 'renew') return this.#tokensFor(sessionId, done.userId, writeRefreshToken(next));
    if (done) await this.#denied.note(done.userId, 'POST /v1/sessions/refresh', 'reused token', sessionId);
    throw new Problem('bad-token', 'The session has ended, or this refresh token was used before: sign in again.');
  }

  /** The session of a good access token that has not ended, or null. One statement. */
  async check(accessToken: string): Promise<SignedIn | null> {
    const claims = this.#tokens.known(accessToken) ?? (await this.#tokens.read(accessToken));
    const session = claims && (await this.#checkSession(claims.sessionId, null, claims.keyId));
    if (claims) claims.alive = session !== null;
    return session;
  }

  /**
   * Reads for who a good access token names, and looks along with that whether the session has ended. Null for a token that
   * never came before, or whose session was not alive at the last look, which is looked at by itself: nobody is counted as a user whose session is no more.
   * @param found told of the session once it was looked at; null where it has ended
   */
  readerFor(accessToken: string, found: (session: SignedIn | null) => void): Reader | null {
    const claims = this.#tokens.known(accessToken);
    if (!claims?.alive) return null;
    return new SessionReader(this.#dataSource, this.#keyChanges, claims, (session) => {
      claims.alive = session !== null;
      found(session);
    });
  }

  /** The session of a browser's cookie that has not ended, or null. One statement. */
  async checkCookie(cookie: string): Promise<SignedIn | null> {
    const token = readRefreshToken(cookie);
    return token && this.#checkSession(token.sessionId, hashOf(token.secret), null);
  }

  async #checkSession(id: string, cookieHash: Buffer | null, keyId: string | null): Promise<SignedIn | null> {
    const [row] = await this.#dataSource.query<OwnSessionCheckRow[]>(CHECK_SESSION, [id, cookieHash, keyId]);
    if (row) this.#keyChanges.heard(row.keys);
    return row ? toSignedIn(row) : null;
  }

  /** Ends a session: its tokens are refused from then on. */
  async end(id: string, reason: 'signed-out' | 'ended'): Promise<void> {
    await this.#dataSource.query(END_SESSION, [id, reason]);
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
    await this.#dataSource.query(END_SESSIONS, [userId, null, 'everywhere']);
  }

  /**
   * Changes a password and ends the user's other sessions, at once: whoever knew the old one is out.
   * @param address whence the attempt comes: guessing is slowed here as it is when signing in
   * @throws Problem `invalid` when the present password is not right, `too-often`
   */
  async changePassword({ id, userId }: SignedIn, current: string, next: string, address: string): Promise<void> {
    const credential = await this.#requirePassword(userId, current, '/current', address);
    const hash = await hashPassword(next);
    await inTransaction(this.#dataSource, async (manager) => {
      const [rows] = await manager.query<[unknown[], number]>(CHANGE_PASSWORD, [userId, credential.passwordHash, hash]);
      if (rows.length === 0) throw invalid('/current', 'is not the password of this account any more');
      await manager.query(END_SESSIONS, [userId, id, 'password']);
    });
  }

  /** Sets a password whatever it was, and ends every session: for who proved otherwise who they are. */
  async resetPassword(manager: EntityManager, userId: string, passwordHash: string): Promise<void> {
    await manager.update(Credential, { userId }, { passwordHash });
    await manager.query(END_SESSIONS, [userId, null, 'password']);
  }

  /**
   * Looks whether it is really the owner who wants to delete an account.
   * @param address whence the attempt comes
   * @throws Problem `invalid` for a wrong password, or a wrong handle where the account has no password; `too-often`
   */
  async requireProof(
    userId: string,
    { password, handle }: { password?: string; handle?: string },
    address: string,
  ): Promise<void> {
    const has = await this.#dataSource.manager.existsBy(Credential, { userId });
    if (has && password === undefined) throw invalid('/password', 'is missing: deleting an account needs its password');
    if (has) return void (await this.#requirePassword(userId, password!, '/password', address));
    const { handle: own } = await this.#users.view(userId, { kind: 'user', id: userId });
    if (handle === undefined || foldHandle(handle) !== own)
      throw invalid('/handle', 'is not the handle of this account');
  }

  /** Ends what a deleted user's sessions, passwords and identities are, in the transaction that deletes the account. */
  async forgetUser(manager: EntityManager, userId: string): Promise<void> {
    await manager.query(END_SESSIONS, [userId, null, 'account']);
    for (const sql of FORGET_CREDENTIALS) await manager.query(sql, [userId]);
  }

  /** Makes a new key for access tokens; see {@link AccessTokens.rotate}. */
  rotateKeys(atOnce: boolean): Promise<void> {
    return this.#tokens.rotate(atOnce);
  }

  /** Forgets sessions that ended a while ago, keys that nothing is signed with any more, and old attempts. */
  async forget(): Promise<void> {
    await this.#dataSource.query(FORGET_SESSIONS);
    await this.#tokens.forgetOld(Math.max(this.#config.accessMinutes * 60, ACTING_HOURS * 3600));
    await this.#throttle.forget();
  }

  async #requirePassword(userId: string, password: string, pointer: string, address: string): Promise<Credential> {
    const credential = await this.#dataSource.manager.findOneBy(Credential, { userId });
    if (!credential) throw invalid(pointer, 'cannot be right: this account has no password, it signs in elsewhere');
    // Before the hash is computed: a burst costs a look at a row each, and no more.
    await this.#throttle.attempt(userId, address);
    if (!(await isPassword(password, credential.passwordHash)))
      throw invalid(pointer, 'is not the password of this account');
    await this.#throttle.succeeded(userId, address);
    return credential;
  }

  /** Opens a session of a user who proved who they are. */
  async open(userId: string, kind: 'token' | 'cookie' | 'acting' | 'acting-cookie'): Promise<Tokens> {
    const id = uuidv7();
    const acting = kind.startsWith('acting');
    const byCookie = kind.endsWith('cookie');
    const token = acting && !byCookie ? null : makeRefreshToken(id);
    const hours = acting ? ACTING_HOURS : this.#config.refreshDays * 24;
    await inTransaction(this.#dataSource, async (manager) => {
      await manager
        .createQueryBuilder()
        .insert()
        .into(Session)
        .values({
          id,
          userId,
          acting,
          byCookie,
          cookieHash: token && byCookie ? hashOf(token.secret) : null,
          familyHash: token && hashOf(token.family),
          expiresAt: () => `clock_timestamp() + make_interval(hours => ${hours})`,
        })
        .execute();
      if (token && !byCookie) await manager.query(KEEP_REFRESH_TOKEN, [hashOf(token.secret), id, null]);
    });
    if (byCookie)
      return {
        userId,
        accessToken: null,
        refreshToken: null,
        expiresIn: hours * 3600,
        cookie: writeRefreshToken(token!),
      };
    return this.#tokensFor(id, userId, token && writeRefreshToken(token));
  }

  async #tokensFor(id: string, userId: string, refreshToken: string | null): Promise<Tokens> {
    const expiresIn = refreshToken ? this.#config.accessMinutes * 60 : ACTING_HOURS * 3600;
    const accessToken = await this.#tokens.sign(id, userId, expiresIn);
    return { userId, accessToken, refreshToken, expiresIn, cookie: null };
  }
}
