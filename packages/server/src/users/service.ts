import { randomInt } from 'node:crypto';
import {
  canOf,
  foldHandle,
  handleFault,
  handleFrom,
  visibleFields,
  type Caller,
  type FieldValues,
  type Model,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { brokenConstraint, inTransaction } from '../database/transaction.js';
import { relationsOf } from '../follows/relations.js';
import { startOf, toPage, type Page, type PageRequest } from '../http/pagination.js';
import { invalid, Problem } from '../http/problem.js';
import type { PublicAddress } from '../http/public-address.js';
import { fieldColumns, withFieldProblems } from '../model/field-columns.js';
import { hashPassword } from '../sessions/passwords.js';
import { Credential } from './credential.entity.js';
import { editUser, FIND_USERS, usersById, type UserRow } from './queries.js';
import type { UserView } from './schema.js';
import { User } from './user.entity.js';

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
const PLAIN_ATTEMPTS = 6;

/** What somebody signs up with. */
export interface SignUp {
  readonly name: string;
  readonly email: string;
  readonly password: string;
  readonly handle?: string;
  readonly fields?: FieldValues;
}

/** What of a profile is edited; what is not named stays. */
export interface UserEdit {
  readonly name?: string;
  readonly bio?: string | null;
  readonly fields?: FieldValues;
}

/** Accounts and profiles. */
export class Users {
  readonly #dataSource: DataSource;
  readonly #address: PublicAddress;
  readonly #model: Model;

  constructor(dataSource: DataSource, address: PublicAddress, model: Model) {
    this.#dataSource = dataSource;
    this.#address = address;
    this.#model = model;
  }

  /**
   * Makes an account. Without a handle, one is made from the name, with a number when it is taken.
   * @returns the new user's id
   * @throws Problem `taken` naming the field, `invalid` for a handle that cannot be
   */
  async signUp({ name, email, password, handle: wanted, fields }: SignUp): Promise<string> {
    const handle = wanted === undefined ? null : foldHandle(wanted);
    const fault = handle === null ? null : handleFault(handle);
    if (fault) throw invalid('/handle', fault);
    const passwordHash = await hashPassword(password);
    const id = uuidv7();
    for (let attempt = 0; ; attempt++) {
      const candidate = handle ?? handleFrom(name, attempt < PLAIN_ATTEMPTS ? attempt : randomInt(10, 1_000_000));
      try {
        await withFieldProblems(() =>
          inTransaction(this.#dataSource, async (manager) => {
            await manager.insert(User, { id, handle: candidate, name, ...(fields && { fields }) });
            await manager.insert(Credential, { userId: id, email, passwordHash });
          }),
        );
        return id;
      } catch (error) {
        const broken = brokenConstraint(error);
        if (broken === 'credentials_email_taken')
          throw new Problem('taken', 'An account with this e-mail exists already: sign in, or use another.', [
            { pointer: '/email', detail: 'is taken' },
          ]);
        if (broken !== 'users_handle_taken') throw error;
        if (handle !== null)
          throw new Problem('taken', `The handle @${handle} is taken: choose another.`, [
            { pointer: '/handle', detail: 'is taken' },
          ]);
      }
    }
  }

  /** The credential of a handle or an e-mail, or null. For signing in alone. */
  async credentialOf(login: string): Promise<Credential | null> {
    const byEmail = login.indexOf('@') > 0;
    const query = this.#dataSource.createQueryBuilder(Credential, 'c').innerJoin('c.user', 'u');
    return byEmail
      ? query.where('lower(c.email) = lower(:login)', { login }).getOne()
      : query.where('u.handle = :handle', { handle: foldHandle(login) }).getOne();
  }

  /** The id that a path's `{user}` (an id or @handle) means, or null when nobody is there. */
  async find(reference: string): Promise<string | null> {
    const where = UUID.test(reference) ? { id: reference.toLowerCase() } : { handle: foldHandle(reference) };
    const user = await this.#dataSource.manager.findOne(User, { select: { id: true }, where });
    return user?.id ?? null;
  }

  /** @throws Problem `not-found` */
  async require(reference: string): Promise<string> {
    const id = await this.find(reference);
    if (!id)
      throw new Problem(
        'not-found',
        `There is no user ${UUID.test(reference) ? reference : `@${foldHandle(reference)}`}.`,
      );
    return id;
  }

  /** Owner and version of a profile, for its doorway. */
  async owned(reference: string): Promise<{ ownerId: string; version: number } | null> {
    const where = UUID.test(reference) ? { id: reference.toLowerCase() } : { handle: foldHandle(reference) };
    const user = await this.#dataSource.manager.findOne(User, { select: { id: true, version: true }, where });
    return user && { ownerId: user.id, version: user.version };
  }

  /** One profile as the caller sees it. @throws Problem `not-found` */
  async view(id: string, caller: Caller): Promise<UserView> {
    const [user] = await this.viewAll([id], caller);
    if (!user) throw new Problem('not-found', 'There is no such user.');
    return user;
  }

  /** Profiles in the order of the ids, as the caller sees them; those that are gone are left out. */
  async viewAll(ids: string[], caller: Caller): Promise<UserView[]> {
    if (ids.length === 0) return [];
    const rows = await this.#dataSource.query<UserRow[]>(usersById(this.#model), [ids]);
    const relations = caller.kind === 'user' ? await relationsOf(this.#dataSource, caller.id, ids) : null;
    return rows.map((row) => ({
      id: row.id,
      handle: row.handle,
      name: row.name,
      bio: row.bio,
      picture: null,
      createdAt: row.created_at.toISOString(),
      version: row.version,
      tallies: { posts: row.posts, followers: row.followers, following: row.following },
      relation: relations?.get(row.id) ?? null,
      fields: visibleFields(this.#model, 'users', row.fields, caller, row.id),
      can: { edit: canOf(caller, row.id).edit },
      url: this.#address.to(`/v1/users/${row.id}`),
    }));
  }

  /** Everybody, or those whose handle or name begins with `q`, by handle. */
  async list(q: string, request: PageRequest, caller: Caller): Promise<Page<UserView>> {
    const start = foldHandle(q.trim());
    const list = `users:${start}`;
    const from = startOf(list, request);
    const pattern = start.replace(/[\\%_]/g, '\\$&');
    const rows = await this.#dataSource.query<{ id: string; handle: string }[]>(FIND_USERS, [
      pattern,
      from?.key ?? '',
      request.limit + 1,
    ]);
    const page = toPage(
      list,
      request,
      rows,
      (row) => row.handle,
      (row) => row.id,
    );
    return { items: await this.viewAll(page.items, caller), next: page.next };
  }

  /** @throws Problem `stale` */
  async edit(id: string, patch: UserEdit, version: number | undefined): Promise<void> {
    const bio = patch.bio === null ? '' : patch.bio;
    const { columns, values } = fieldColumns(patch.fields);
    const [rows] = await withFieldProblems(() =>
      this.#dataSource.query<[unknown[], number]>(editUser(columns), [
        id,
        patch.name ?? null,
        bio ?? null,
        version ?? null,
        ...values,
      ]),
    );
    if (rows.length === 0)
      throw new Problem('stale', 'The profile changed since you read it: read it again and repeat the edit.');
  }

  /** The e-mail of an account; for its owner alone. */
  async emailOf(id: string): Promise<string> {
    const { email } = await this.#dataSource.manager.findOneOrFail(Credential, { where: { userId: id } });
    return email;
  }
}
