import {
  canOf,
  columnOf,
  decide,
  netOf,
  visibleFields,
  type Caller,
  type FieldValues,
  type OwnFields,
  type Owned,
} from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { inTransaction } from '../../ground/database/transaction.js';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { invalid, Problem, refusalProblem } from '../../ground/http/problem.js';
import { fieldColumns, withFieldProblems } from '../../ground/fields/field-columns.js';
import { LOCK_POST_TALLY } from '../../ranking/tallies/locks.js';
import type { Posts } from '../posts/service.js';
import { toAuthor, type AuthorColumns } from '../../accounts/users/author.js';
import { viewerOf } from '../../accounts/users/visibility.js';
import { commentById, createComment, editComment, listComments, type CommentRow } from './queries.js';
import type { CommentView } from './schema.js';

/** What of a comment is edited; what is not named stays. */
export interface CommentEdit {
  readonly body?: string;
  readonly fields?: FieldValues;
}

/** The conversation below posts. */
export class Comments {
  readonly #dataSource: DataSource;
  readonly #posts: Posts;
  readonly #pages: Pages;
  readonly #address: PublicAddress;
  readonly #model: OwnFields;

  constructor(dataSource: DataSource, posts: Posts, pages: Pages, address: PublicAddress, model: OwnFields) {
    this.#dataSource = dataSource;
    this.#posts = posts;
    this.#pages = pages;
    this.#address = address;
    this.#model = model;
  }

  /**
   * @param first run first in the transaction that makes the comment
   * @returns the id of the new comment
   * @throws Problem `not-found` for a post that is not visible, `invalid` for a parent that is not of this post
   */
  async create(
    postId: string,
    author: Caller & { kind: 'user' },
    body: string,
    parentId: string | null,
    fields?: FieldValues,
    first: (manager: EntityManager, id: string) => Promise<void> = () => Promise.resolve(),
  ): Promise<string> {
    const id = uuidv7();
    const { columns } = fieldColumns(fields);
    const byColumn = Object.entries(fields ?? {}).map(([name, value]) => [columnOf(name), value] as const);
    const own = columns.length > 0 ? [JSON.stringify(Object.fromEntries(byColumn))] : [];
    const made = await withFieldProblems(() =>
      inTransaction(this.#dataSource, async (manager) => {
        await first(manager, id);
        await manager.query(LOCK_POST_TALLY, [postId]);
        const rows = await manager.query<unknown[]>(createComment(columns), [
          id,
          postId,
          author.id,
          body,
          parentId,
          ...own,
        ]);
        if (rows.length === 0) throw new NotMade();
        return true;
      }),
    ).catch((error: unknown) => {
      if (error instanceof NotMade) return false;
      throw error;
    });
    if (made) return id;
    if (!(await this.#posts.owned(postId, author)))
      throw new Problem('not-found', 'There is no such post, or it was deleted.');
    throw invalid('/parentId', 'names no comment of this post');
  }

  /** @throws Problem `not-found` */
  async view(id: string, caller: Caller): Promise<CommentView> {
    const [row] = await this.#dataSource.query<CommentRow[]>(commentById(this.#model), [id, viewerOf(caller)]);
    if (!row) throw new Problem('not-found', 'There is no such comment, or it was deleted.');
    return this.#toView(row, caller);
  }

  /** A page of the comments on a post. @throws Problem `not-found` for a post that is not visible */
  async list(
    postId: string,
    sort: 'newest' | 'oldest',
    request: PageRequest,
    caller: Caller,
  ): Promise<Page<CommentView>> {
    if (!(await this.#posts.owned(postId, caller)))
      throw new Problem('not-found', 'There is no such post, or it was deleted.');
    const list = `comments:${sort}:${postId}`;
    const from = await this.#pages.startOf(list, request);
    const rows = await this.#dataSource.query<CommentRow[]>(listComments(this.#model, sort), [
      postId,
      instantOf(from),
      from?.id ?? null,
      request.limit + 1,
      viewerOf(caller),
    ]);
    return this.#pages.toPage(
      list,
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => this.#toView(row, caller),
    );
  }

  /** Owner and version of a comment that the caller may see; one under an invisible post is not there. */
  async owned(id: string, caller: Caller): Promise<Owned | null> {
    const [row] = await this.#dataSource.query<CommentRow[]>(commentById(this.#model), [id, viewerOf(caller)]);
    return row ? { ownerId: row.author_id, version: row.version } : null;
  }

  /** @throws Problem when the write meets something else than the doorway saw */
  async edit(
    id: string,
    caller: Caller & { kind: 'user' },
    edit: CommentEdit,
    version: number | undefined,
  ): Promise<void> {
    const { columns, values } = fieldColumns(edit.fields);
    if (edit.body === undefined && columns.length === 0) return;
    const parameters = [id, caller.id, edit.body ?? null, version ?? null, ...values];
    const [rows] = await withFieldProblems(() =>
      this.#dataSource.query<[unknown[], number]>(editComment(columns), parameters),
    );
    if (rows.length === 0) throw await this.#refusal(id, caller, version);
  }

  async #refusal(id: string, caller: Caller, version: number | undefined): Promise<Problem> {
    return refusalProblem(
      decide('owner of comment', caller, await this.owned(id, caller), version) ?? 'stale',
      'comment',
    );
  }

  #toView(row: CommentRow, caller: Caller): CommentView {
    return {
      id: row.id,
      postId: row.post_id,
      parentId: row.parent_id,
      author: isAuthored(row) ? toAuthor(row, this.#address) : null,
      body: row.body,
      createdAt: row.created_at.toISOString(),
      editedAt: row.edited_at?.toISOString() ?? null,
      version: row.version,
      tallies: { reactions: row.reactions ?? {}, net: netOf(row.reactions ?? {}, row.weights) },
      reaction: row.reaction,
      can: canOf(caller, row.author_id),
      fields: visibleFields(this.#model, 'comments', row.fields, caller, row.author_id),
    };
  }
}

/** Rolls the transaction back, with all that it did first. */
class NotMade extends Error {}

const isAuthored = (row: CommentRow): row is CommentRow & AuthorColumns => row.author_id !== null;
