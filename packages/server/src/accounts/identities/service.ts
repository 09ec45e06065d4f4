import { createHash, randomBytes } from 'node:crypto';
import type { OwnFields, Owned } from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { brokenConstraint, inTransaction } from '../../ground/database/transaction.js';
import type { SignedIn } from '../../ground/http/principal.js';
import { Problem, refusalProblem } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { toSignedIn, type SessionCheckRow } from '../sessions/signed-in.js';
import { hashOf } from '../sessions/tokens.js';
import type { NewAccounts } from '../users/new-accounts.js';
import { profileOf, signInWarnings, type ClaimSource } from './claims.js';
import { Identity } from './identity.entity.js';
import { OutsideTokens, type OutsideIssuer } from './outside-tokens.js';
import { ProviderSignIn } from './provider-sign-in.entity.js';
import { Providers, type Provider } from './providers.js';
import {
  CHECK_IDENTITY,
  FIND_IDENTITY,
  FORGET_SIGN_INS,
  HOLD_USER,
  LIST_IDENTITIES,
  LOCK_IDENTITY,
  TAKE_SIGN_IN,
  UNLINK,
  type SignInRow,
} from './queries.js';

const GONE = 'The account of this identity was deleted, and stays so.';

/** An identity as a statement yields it. */
export interface IdentityRow {
  readonly id: string;
  readonly issuer: string;
  readonly subject: string;
  readonly created_at: Date;
}

/** Who people are to outside issuers: signing in through a provider, and bearer tokens of an issuer elsewhere. */
export class Identities {
  readonly #dataSource: DataSource;
  readonly #newAccounts: NewAccounts;
  readonly #address: PublicAddress;
  readonly #providers: Providers;
  readonly #tokens: OutsideTokens;
  readonly #model: OwnFields;

  constructor(
    dataSource: DataSource,
    newAccounts: NewAccounts,
    address: PublicAddress,
    config: {
      readonly providers: readonly Provider[];
      readonly issuers: readonly OutsideIssuer[];
      readonly model: OwnFields;
    },
  ) {
    this.#model = config.model;
    this.#dataSource = dataSource;
    this.#newAccounts = newAccounts;
    this.#address = address;
    this.#providers = new Providers(config.providers);
    this.#tokens = new OutsideTokens(config.issuers);
  }

  /** Through whom one may sign in. */
  get providers(): readonly Provider[] {
    return this.#providers.all;
  }

  /**
   * Begins a sign-in at a provider.
   * @param userId whose account the identity is to be linked to; null for signing in
   * @returns a ticket for the browser that begins it, and the address to which it goes
   * @throws Problem `not-found`, `provider-away`
   */
  async begin(name: string, userId: string | null): Promise<{ ticket: string; url: string }> {
    const provider = this.#providers.named(name);
    const { address, ...begun } = await this.#providers.begin(provider, this.#redirectOf(provider));
    const ticket = randomBytes(32).toString('base64url');
    await this.#dataSource.manager.insert(ProviderSignIn, {
      ticketHash: hashOf(ticket),
      provider: name,
      ...begun,
      userId,
    });
    return { ticket, url: address };
  }

  /**
   * Ends a sign-in: the first one of an identity makes a user from its claims, later ones find it.
   * @throws Problem `bad-ticket`, `provider-refused`, `account-gone`, `claim-missing`
   */
  async signIn(ticket: string, parameters: Readonly<Record<string, string>>): Promise<string> {
    const { issuer, subject, claims, names } = await this.#finish(ticket, parameters, null);
    return this.#userOf(issuer, subject, claims, { names, key: 'signIn.providers[].claims' });
  }

  /**
   * Links an identity to the account of who began it, signed in all along.
   * @throws Problem `bad-ticket`, `provider-refused`, `identity-taken`
   */
  async link(ticket: string, parameters: Readonly<Record<string, string>>, userId: string): Promise<IdentityRow> {
    const { issuer, subject } = await this.#finish(ticket, parameters, userId);
    try {
      await inTransaction(this.#dataSource, async (manager) => {
        if (await findIdentity(manager, issuer, subject)) throw taken();
        await manager.insert(Identity, { id: uuidv7(), issuer, subject, userId });
      });
    } catch (error) {
      throw brokenConstraint(error) === 'identities_taken' ? taken() : error;
    }
    const all = await this.list(userId);
    return all.find((row) => row.issuer === issuer && row.subject === subject)!;
  }

  /** One's identities, the oldest first. */
  list(userId: string): Promise<IdentityRow[]> {
    return this.#dataSource.query<IdentityRow[]>(LIST_IDENTITIES, [userId]);
  }

  /** Whose an identity is. */
  async owned(id: string): Promise<Owned | null> {
    const identity = await this.#dataSource.manager.findOneBy(Identity, { id });
    return identity?.userId ? { ownerId: identity.userId, version: 1 } : null;
  }

  /** Removes one's own identity. @throws Problem `only-way-in` for the only way to sign in */
  async unlink(id: string, userId: string): Promise<void> {
    const gone = await inTransaction(this.#dataSource, async (manager) => {
      await manager.query(HOLD_USER, [userId]);
      const [rows] = await manager.query<[unknown[], number]>(UNLINK, [id, userId]);
      return rows.length > 0;
    });
    if (!gone && !(await this.owned(id))) throw refusalProblem('not-found', 'identity');
    if (!gone)
      throw new Problem(
        'only-way-in',
        'The account has no password and no other identity: without this one nobody could sign in.',
      );
  }

  /** Whether a bearer token is of a configured outside issuer. */
  isOutside(token: string): boolean {
    return this.#tokens.isOutside(token);
  }

  /**
   * The caller of a bearer token of an outside issuer; who is not known yet becomes a user.
   * @throws Problem `bad-token`, `no-keys`, `account-gone`; `claim-missing` for a newcomer whose claims are not enough
   */
  async check(token: string): Promise<SignedIn> {
    const { issuer, subject, claims } = await this.#tokens.verify(token);
    const known = await this.#check(issuer.issuer, subject);
    if (known) return known;
    const source = { names: issuer.claims ?? {}, key: 'signIn.issuers[].claims' };
    await this.#userOf(issuer.issuer, subject, claims, source);
    return (await this.#check(issuer.issuer, subject))!;
  }

  /** What a model would do to who comes from elsewhere, in sentences. */
  warningsOf(model: OwnFields): string[] {
    return signInWarnings(model, { providers: this.#providers.all, issuers: this.#tokens.issuers });
  }

  /** Forgets sign-ins that nobody ended. */
  async forget(): Promise<void> {
    await this.#dataSource.query(FORGET_SIGN_INS);
  }

  async #check(issuer: string, subject: string): Promise<SignedIn | null> {
    const parameters = [issuer, subject, hashedSubject(subject)];
    const [row] = await this.#dataSource.query<SessionCheckRow[]>(CHECK_IDENTITY, parameters);
    if (!row) return null;
    if (!row.handle) throw new Problem('account-gone', GONE);
    return toSignedIn(row);
  }

  async #finish(ticket: string, parameters: Readonly<Record<string, string>>, userId: string | null) {
    const [rows] = await this.#dataSource.query<[SignInRow[], number]>(TAKE_SIGN_IN, [hashOf(ticket)]);
    const [row] = rows;
    if (row?.user_id !== userId)
      throw new Problem(
        'bad-ticket',
        'This sign-in was not begun here, was ended already, or took longer than ten minutes: begin again.',
      );
    const provider = this.#providers.named(row.provider);
    const found = await this.#providers.finish(provider, this.#redirectOf(provider), row, parameters);
    return { ...found, names: provider.claims ?? {} };
  }

  async #userOf(
    issuer: string,
    subject: string,
    claims: Readonly<Record<string, unknown>>,
    source: ClaimSource,
  ): Promise<string> {
    const known = await findIdentity(this.#dataSource.manager, issuer, subject);
    if (known) {
      if (known.user_id === null) throw new Problem('account-gone', GONE);
      return known.user_id;
    }
    // What an account would be made from is looked at for newcomers alone.
    const profile = profileOf(claims, source, this.#model);
    return this.#newAccounts.ofOutside(profile, async (manager) => {
      await manager.query(LOCK_IDENTITY, [JSON.stringify([issuer, subject])]);
      const found = await findIdentity(manager, issuer, subject);
      if (found && found.user_id === null) throw new Problem('account-gone', GONE);
      return found?.user_id ?? ((userId) => manager.insert(Identity, { id: uuidv7(), issuer, subject, userId }));
    });
  }

  #redirectOf({ name, redirectAddress }: Provider): string {
    return redirectAddress ?? this.#address.to(`/sign-in/${name}`);
  }
}

const taken = (): Problem =>
  new Problem(
    'identity-taken',
    'This identity belongs to an account already: sign in with it, or unlink it there first.',
  );

const hashedSubject = (subject: string): string => `sha256:${createHash('sha256').update(subject).digest('hex')}`;

async function findIdentity(manager: EntityManager, issuer: string, subject: string) {
  const parameters = [issuer, subject, hashedSubject(subject)];
  const [row] = await manager.query<{ user_id: string | null }[]>(FIND_IDENTITY, parameters);
  return row ?? null;
}
