import {
  foldHandle,
  isOwner,
  visibleFields,
  toDraw,
  type Caller,
  type DrawTier,
  type FieldValues,
  type OwnFields,
  type Owned,
} from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { brokenConstraint, inTransaction } from '../../ground/database/transaction.js';
import { relationsOf } from './relations.js';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { HOLD_UPLOAD } from '../media/fragments.js';
import { fieldColumns, withFieldProblems } from '../../ground/fields/field-columns.js';
import { Credential } from './credential.entity.js';
import { changeHandle, handleTaken, isReserved } from './handles.js';
import {
  editUser,
  FIND_USERS,
  findAnyUser,
  findUser,
  MODERATORS,
  usersById,
  type UserRow,
  SUGGEST_USERS,
  WHO_DREW,
} from './queries.js';
import { pictureAddress, toAuthor, type AuthorColumns } from './author.js';
import type { AuthorView, UserView } from './schema.js';
import { User } from './user.entity.js';
import { viewerOf } from './visibility.js';

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** What of a profile is edited; what is not named stays. */
export interface UserEdit {
  readonly name?: string;
  readonly bio?: string | null;
  /** An upload of the user's; null for no picture. */
  readonly picture?: string | null;
  readonly handle?: string;
  readonly audience?: 'everyone' | 'signed-in';
  readonly fields?: FieldValues;
}

/** Accounts and profiles. */
export class Users {
  readonly #dataSource: DataSource;
  readonly #pages: Pages;
  readonly #address: PublicAddress;
  readonly #model: OwnFields;
  readonly #tiers: readonly DrawTier[];

  constructor(
    dataSource: DataSource,
    pages: Pages,
    address: PublicAddress,
    model: OwnFields,
    tiers: readonly DrawTier[] = [],
  ) {
    this.#dataSource = dataSource;
    this.#pages = pages;
    this.#address = address;
    this.#model = model;
    this.#tiers = tiers;
  }

  /** The credential of a handle or an e-mail, or null. For signing in alone. */
  async credentialOf(login: string): Promise<Credential | null> {
    const byEmail = login.indexOf('@') > 0;
    const query = this.#dataSource.createQueryBuilder(Credential, 'c').innerJoin('c.user', 'u');
    return byEmail
      ? query.where('lower(c.email) = lower(:login)', { login }).getOne()
      : query.where('u.handle = :handle', { handle: foldHandle(login) }).getOne();
  }

  /** The id that a path's `{user}` (an id or @handle) means, or null when nobody is there for this caller. */
  async find(reference: string, caller: Caller): Promise<string | null> {
    return (await this.#find(findUser, reference, [viewerOf(caller)]))?.id ?? null;
  }

  /** @throws Problem `not-found`, for somebody who is not visible to the caller too */
  async require(reference: string, caller: Caller): Promise<string> {
    const id = await this.find(reference, caller);
    if (!id) throw notThere(reference, caller);
    return id;
  }

  /** Somebody's id whoever asks: for the operator, and for lifting one's own block. @throws Problem `not-found` */
  async requireAny(reference: string): Promise<string> {
    const found = await this.#find(findAnyUser, reference, []);
    if (!found) throw notThere(reference, { kind: 'operator' });
    return found.id;
  }

  /** The handle of a user who is there. */
  async handleOf(id: string): Promise<string> {
    return (await this.#dataSource.manager.findOneOrFail(User, { where: { id }, select: { handle: true } })).handle;
  }

  /** Owner and version of a profile, for its doorway. */
  async owned(reference: string, caller: Caller): Promise<Owned | null> {
    const user = await this.#find(findUser, reference, [viewerOf(caller)]);
    return user && { ownerId: user.id, version: user.version };
  }

  async #find(
    statement: (by: 'id' | 'handle') => string,
    reference: string,
    more: unknown[],
  ): Promise<{ id: string; version: number } | null> {
    const byId = UUID.test(reference);
    const [user] = await this.#dataSource.query<{ id: string; version: number }[]>(statement(byId ? 'id' : 'handle'), [
      byId ? reference.toLowerCase() : foldHandle(reference),
      ...more,
    ]);
    return user ?? null;
  }

  /** One profile as the caller sees it. @throws Problem `not-found` */
  async view(id: string, caller: Caller): Promise<UserView> {
    const [user] = await this.viewAll([id], caller);
    if (!user) throw new Problem('not-found', 'There is no such user.');
    return user;
  }

  /** Profiles in the order of the ids, as the caller sees them; those that are gone are left out. @param at where they are read */
  async viewAll(ids: string[], caller: Caller, at: Querying = this.#dataSource): Promise<UserView[]> {
    if (ids.length === 0) return [];
    const rows = await at.query<UserRow[]>(usersById(this.#model), [ids, viewerOf(caller)]);
    const relations = caller.kind === 'user' ? await relationsOf(at, caller.id, ids) : null;
    return rows.map((row) => ({
      id: row.id,
      handle: row.handle,
      name: row.name,
      bio: row.bio,
      picture: pictureAddress(row.picture_file, row.picture_link, this.#address),
      createdAt: row.created_at.toISOString(),
      version: row.version,
      tallies: { posts: row.posts, followers: row.followers, following: row.following },
      draw: toDraw(row.draw, this.#tiers),
      relation: relations?.get(row.id) ?? null,
      fields: visibleFields(this.#model, 'users', row.fields, caller, row.id),
      moderator: row.moderator,
      audience: isOwner(caller, row.id) ? row.audience : null,
      can: { edit: isOwner(caller, row.id) },
      url: this.#address.to(`/v1/users/${row.id}`),
    }));
  }

  /** Everybody, or those whose handle or name begins with `q`, by handle. */
  async list(q: string, request: PageRequest, caller: Caller, at: Querying): Promise<Page<UserView>> {
    const start = foldHandle(q.trim());
    const list = `users:${start}`;
    const from = await this.#pages.startOf(list, request);
    const pattern = start.replace(/[\\%_]/g, '\\$&');
    const rows = await at.query<{ id: string; handle: string }[]>(FIND_USERS, [
      pattern,
      from?.key ?? '',
      request.limit + 1,
      viewerOf(caller),
    ]);
    const page = await this.#pages.toPage(
      list,
      request,
      rows,
      (row) => row.handle,
      (row) => row.id,
    );
    return { items: await this.viewAll(page.items, caller, at), next: page.next };
  }

  /** Those whose posts drew something lately, or of them those whose handle or name begins with `q`, who drew most first. */
  async whoDrew(q: string, request: PageRequest, caller: Caller, at: Querying): Promise<Page<UserView>> {
    const start = foldHandle(q.trim());
    const list = `users who drew:${start}`;
    const from = await this.#pages.startOf(list, request);
    const rows = await at.query<{ id: string; draw: number }[]>(WHO_DREW, [
      start.replace(/[\\%_]/g, '\\$&'),
      from && Number(from.key),
      request.limit + 1,
      viewerOf(caller),
      from?.id ?? null,
    ]);
    const page = await this.#pages.toPage(
      list,
      request,
      rows,
      (row) => String(row.draw),
      (row) => row.id,
    );
    return { items: await this.viewAll(page.items, caller, at), next: page.next };
  }

  /**
   * Users whose handle or name begins with `q`, for who is about to name one: those whom the caller follows, those in the
   * conversation below a post, and then by followers.
   */
  async suggest(
    q: string,
    postId: string | null,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<UserView>> {
    const start = foldHandle(q.trim());
    const list = `suggested users:${postId ?? ''}:${start}`;
    const from = await this.#pages.startOf(list, request);
    const rows = await at.query<{ id: string; place: string[] }[]>(SUGGEST_USERS, [
      start.replace(/[\\%_]/g, '\\$&'),
      from && String(from.key).split(' '),
      request.limit + 1,
      viewerOf(caller),
      postId,
    ]);
    const page = await this.#pages.toPage(
      list,
      request,
      rows,
      (row) => row.place.join(' '),
      (row) => row.id,
    );
    return { items: await this.viewAll(page.items, caller, at), next: page.next };
  }

  /**
   * A page of users that a statement lists by an instant, newest first.
   * @param sql takes whose list it is, the instant and id to go on from, and how many; yields `id` and `created_at`
   */
  async pageOf(
    list: string,
    sql: string,
    userId: string,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<UserView>> {
    const from = await this.#pages.startOf(list, request);
    const parameters = [userId, instantOf(from), from?.id ?? null, request.limit + 1];
    const rows = await at.query<{ id: string; created_at: Date }[]>(sql, parameters);
    const page = await this.#pages.toPage(
      list,
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => row.id,
    );
    return { items: await this.viewAll(page.items, caller, at), next: page.next };
  }

  /** @throws Problem `stale`, `taken` for a handle of another's, `invalid` for one that cannot be */
  async edit(id: string, patch: UserEdit, version: number | undefined): Promise<void> {
    const bio = patch.bio === null ? '' : patch.bio;
    const { columns, values } = fieldColumns(patch.fields);
    await withFieldProblems(() =>
      inTransaction(this.#dataSource, async (manager) => {
        const handle = patch.handle === undefined ? null : await changeHandle(manager, id, patch.handle);
        if (patch.picture) await requireUpload(manager, id, patch.picture);
        const changes = [patch.audience ?? null, handle, patch.picture !== undefined, patch.picture ?? null];
        const parameters = [id, patch.name ?? null, bio ?? null, version ?? null, ...changes];
        const [rows] = await manager
          .query<[unknown[], number]>(editUser(columns), [...parameters, ...values])
          .catch((error: unknown) => {
            throw handle !== null && brokenConstraint(error) === 'users_handle_taken' ? handleTaken(handle) : error;
          });
        if (rows.length === 0)
          throw new Problem('stale', 'The profile changed since you read it: read it again and repeat the edit.');
        // Looked at once the handle is ours, as at sign-up.
        if (handle !== null && (await isReserved(manager, handle, id))) throw handleTaken(handle);
      }),
    );
  }

  /** Who moderates, by handle. */
  async moderators(): Promise<AuthorView[]> {
    const rows = await this.#dataSource.query<AuthorColumns[]>(MODERATORS);
    return rows.map((row) => toAuthor(row, this.#address));
  }

  /** Makes a user a moderator, or an ordinary user again. */
  async setModerator(id: string, moderator: boolean): Promise<void> {
    await this.#dataSource.manager.update(User, { id }, { moderator });
  }

  /** The e-mail of an account; for its owner alone. */
  async emailOf(id: string): Promise<string | null> {
    const credential = await this.#dataSource.manager.findOne(Credential, { where: { userId: id } });
    return credential?.email ?? null;
  }
}

/** Holds an upload for a profile. @throws Problem `invalid` for one that is not the user's own */
async function requireUpload(manager: EntityManager, userId: string, uploadId: string): Promise<void> {
  const found = await manager.query<unknown[]>(HOLD_UPLOAD, [uploadId, userId]);
  if (found.length === 0) throw invalid('/picture', 'names no picture that you uploaded');
}

/** Nobody there, or not for this caller: the answer is the same, but a visitor is told that signing in may help. */
function notThere(reference: string, caller: Caller): Problem {
  const name = UUID.test(reference) ? reference : `@${foldHandle(reference)}`;
  const hint = caller.kind === 'nobody' ? ' Some profiles are shown only to who is signed in.' : '';
  return new Problem('not-found', `There is no user ${name}.${hint}`);
}
