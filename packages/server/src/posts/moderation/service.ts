import {
  decide,
  decideRestore,
  isOwner,
  type Caller,
  type OwnFields,
  type Owned,
  type Removal,
  type RestoreRefusal,
} from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { Comments } from '../comments/service.js';
import { inTransaction } from '../../ground/database/transaction.js';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import { invalid, Problem, refusalProblem } from '../../ground/http/problem.js';
import type { Posts } from '../posts/service.js';
import { Moderation as ModerationRow } from './moderation.entity.js';
import {
  blank,
  CLEAR_PLACES,
  LIST_MODERATIONS,
  LOCK_TALLY,
  OWN_REMOVED,
  purge,
  remove,
  removed,
  restore,
  type ModerationRow as ListedRow,
  type OwnRemovedRow,
  type RemovedRow,
  type Thing,
} from './queries.js';
import type { ModerationView, RemovedView } from './schema.js';

type User = Caller & { kind: 'user' };
const PURGED_AT_ONCE = 500;
const WHY_NOT: Record<RestoreRefusal, string> = {
  'too-late': 'It was deleted more than 30 days ago.',
  'moderators-decision': 'A moderator took it out of sight: only a moderator can bring it back.',
  'owners-decision': 'Its owner deleted it: only they can bring it back.',
};

/** Deleting, withholding and restoring posts and comments, by their owners and by moderators. */
export class Removals {
  readonly #dataSource: DataSource;
  readonly #background: DataSource;
  readonly #owners: Record<Thing, Posts | Comments>;
  readonly #pages: Pages;
  readonly #model: OwnFields;

  /** @param background where what nobody can restore is really deleted */
  constructor(
    dataSource: DataSource,
    background: DataSource,
    { posts, comments, pages }: { posts: Posts; comments: Comments; pages: Pages },
    model: OwnFields,
  ) {
    this.#dataSource = dataSource;
    this.#background = background;
    this.#pages = pages;
    this.#model = model;
    this.#owners = { post: posts, comment: comments };
  }

  /**
   * Deletes one's own thing, or as a moderator somebody else's.
   * @param reason why; a moderator has to say
   * @throws Problem when the write meets something else than the doorway saw
   */
  async delete(
    thing: Thing,
    id: string,
    caller: User,
    { version, reason }: { version?: number | undefined; reason?: string | undefined },
  ): Promise<void> {
    const owned = await this.#owners[thing].owned(id, caller);
    const removal: Removal = isOwner(caller, owned?.ownerId ?? null) ? 'owner' : 'moderator';
    if (removal === 'moderator' && owned && reason === undefined && caller.moderator)
      throw invalid('/reason', 'is missing: a moderator says why (`?reason=…`)');
    await this.#remove(thing, id, caller, removal, version, reason);
  }

  /** Takes somebody's thing out of sight until a moderator brings it back. */
  async withhold(thing: Thing, id: string, caller: User, reason: string): Promise<void> {
    await this.#remove(thing, id, caller, 'withheld', undefined, reason);
  }

  /** Brings back what was removed. @throws Problem `not-restorable` saying why, `invalid` for a moderator without reason */
  async restore(thing: Thing, id: string, caller: User, reason: string | undefined): Promise<void> {
    const done = await inTransaction(this.#dataSource, async (manager) => {
      await manager.query(LOCK_TALLY[thing], [id]);
      // Read once its counts are held: by whom it was removed may have changed since anybody looked.
      const [row] = await manager.query<RemovedRow[]>(removed(thing), [id]);
      const byModerator = row !== undefined && row.removal !== 'owner';
      if (byModerator && caller.moderator && reason === undefined)
        throw invalid('/reason', 'is missing: a moderator says why');
      const [rows] = await manager.query<[{ post_id: string }[], number]>(restore(thing), [id, caller.id]);
      if (rows[0] && byModerator) await note(manager, caller, thing, id, rows[0].post_id, 'restore', reason!);
      return rows.length > 0;
    });
    if (done) return;
    const now = await this.#removed(thing, id);
    if (!now) throw refusalProblem('not-found', thing);
    const facts = { ownerId: now.author_id, removal: now.removal, removedAt: now.deleted_at.getTime() };
    throw new Problem('not-restorable', WHY_NOT[decideRestore(caller, facts, Date.now()) ?? 'too-late']);
  }

  /** Owner of a thing that is out of sight, as far as the caller may know of it: their own, or what moderators did. */
  async owned(thing: Thing, id: string, caller: Caller): Promise<Owned | null> {
    const row = await this.#removed(thing, id);
    if (!row || caller.kind !== 'user') return null;
    const knows = row.author_id === caller.id || (caller.moderator && row.removal !== 'owner');
    return knows ? { ownerId: row.author_id, version: row.version } : null;
  }

  /** What of one's own is out of sight and can still come back, or could if a moderator wanted. */
  async ownRemoved(caller: User): Promise<RemovedView[]> {
    const rows = await this.#dataSource.query<OwnRemovedRow[]>(OWN_REMOVED, [caller.id]);
    return rows.map((row) => {
      const facts = { ownerId: caller.id, removal: row.removal, removedAt: row.deleted_at.getTime() };
      return {
        kind: row.kind,
        id: row.id,
        postId: row.post_id,
        body: row.body,
        by: row.removal,
        removedAt: row.deleted_at.toISOString(),
        reason: row.reason,
        can: { restore: decideRestore(caller, facts, Date.now()) === null },
      };
    });
  }

  /** A page of what moderators did, newest first. */
  async list(request: PageRequest): Promise<Page<ModerationView>> {
    const from = await this.#pages.startOf('moderations', request);
    const parameters = [instantOf(from), from?.id ?? null, request.limit + 1];
    const rows = await this.#dataSource.query<ListedRow[]>(LIST_MODERATIONS, parameters);
    return this.#pages.toPage(
      'moderations',
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => ({
        id: row.id,
        action: row.action,
        reason: row.reason,
        createdAt: row.created_at.toISOString(),
        moderator: row.moderator,
        author: row.author,
        postId: row.post_id,
        commentId: row.comment_id,
        body: row.body,
        now: row.removal,
      }),
    );
  }

  /** Really deletes what nobody can restore any more, in batches of its own transactions. */
  async purge(): Promise<void> {
    for (const statement of [blank(this.#model), purge('comment'), CLEAR_PLACES, purge('post')])
      for (let done = PURGED_AT_ONCE; done === PURGED_AT_ONCE;)
        [, done] = await this.#background.query<[unknown[], number]>(statement, [PURGED_AT_ONCE]);
  }

  async #removed(thing: Thing, id: string): Promise<RemovedRow | undefined> {
    const [row] = await this.#dataSource.query<RemovedRow[]>(removed(thing), [id]);
    return row;
  }

  async #remove(
    thing: Thing,
    id: string,
    caller: User,
    removal: Removal,
    version: number | undefined,
    reason: string | undefined,
  ): Promise<void> {
    const done = await inTransaction(this.#dataSource, async (manager) => {
      await manager.query(LOCK_TALLY[thing], [id]);
      const parameters = [id, caller.id, removal, version ?? null];
      const [rows] = await manager.query<[{ post_id: string }[], number]>(remove(thing), parameters);
      const action = removal === 'withheld' ? 'withhold' : 'delete';
      if (rows[0] && removal !== 'owner') await note(manager, caller, thing, id, rows[0].post_id, action, reason!);
      return rows.length > 0;
    });
    if (done) return;
    const owned = await this.#owners[thing].owned(id, caller);
    throw refusalProblem(decide(`owner or moderator of ${thing}`, caller, owned, version) ?? 'stale', thing);
  }
}

function note(
  manager: EntityManager,
  moderator: User,
  thing: Thing,
  id: string,
  postId: string,
  action: ModerationRow['action'],
  reason: string,
): Promise<unknown> {
  const commentId = thing === 'comment' ? id : null;
  return manager.insert(ModerationRow, { id: uuidv7(), moderatorId: moderator.id, postId, commentId, action, reason });
}
