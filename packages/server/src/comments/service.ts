import {
  canOf,
  columnOf,
  decide,
  visibleFields,
  type Caller,
  type FieldValues,
  type Model,
  type Owned,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { inTransaction } from '../database/transaction.js';
import { instantOf, startOf, toPage, type Page, type PageRequest } from '../http/pagination.js';
import { invalid, Problem, refusalProblem } from '../http/problem.js';
import { fieldColumns, withFieldProblems } from '../model/field-columns.js';
import { LOCK_POST_TALLY } from '../posts/queries.js';
import type { Posts, TextEdit } from '../posts/service.js';
import { toAuthor } from '../users/queries.js';
import {
  commentById,
  createComment,
  DELETE_COMMENT,
  editComment,
  listComments,
  LOCK_COMMENT_TALLY,
  type CommentRow,
} from './queries.js';
import type { CommentView } from './schema.js';

/** The conversation below posts. */
export class Comments {
  readonly #dataSource: DataSource;
  readonly #posts: Posts;
  readonly #model: Model;

  constructor(dataSource: DataSource, posts: Posts, model: Model) {
    this.#dataSource = dataSource;
    this.#posts = posts;
    this.#model = model;
  }

  /**
   * @returns the id of the new comment
   * @throws Problem `not-found` for a post that is not visible, `invalid` for a parent that is not of this post
   */
  async create(
    postId: string,
    authorId: string,
    body: string,
    parentId: string | null,
    fields?: FieldValues,
  ): Promise<string> {
    const id = uuidv7();
    const { columns } = fieldColumns(fields);
    const byColumn = Object.entries(fields ?? {}).map(([name, value]) => [columnOf(name), value] as const);
    const own = columns.length > 0 ? [JSON.stringify(Object.fromEntries(byColumn))] : [];
    const made = await withFieldProblems(() =>
      inTransaction(this.#dataSource, async (manager) => {
        await manager.query(LOCK_POST_TALLY, [postId]);
        return manager.query<unknown[]>(createComment(columns), [id, postId, authorId, body, parentId, ...own]);
      }),
    );
    if (made.length > 0) return id;
    if (!(await this.#posts.owned(postId))) throw new Problem('not-found', 'There is no such post, or it was deleted.');
    throw invalid('/parentId', 'names no comment of this post');
  }

  /** @throws Problem `not-found` */
  async view(id: string, caller: Caller): Promise<CommentView> {
    const [row] = await this.#dataSource.query<CommentRow[]>(commentById(this.#model), [id]);
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
    if (!(await this.#posts.owned(postId))) throw new Problem('not-found', 'There is no such post, or it was deleted.');
    const list = `comments:${sort}:${postId}`;
    const from = startOf(list, request);
    const rows = await this.#dataSource.query<CommentRow[]>(listComments(this.#model, sort), [
      postId,
      instantOf(from),
      from?.id ?? null,
      request.limit + 1,
    ]);
    return toPage(
      list,
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => this.#toView(row, caller),
    );
  }

  /** Owner and version of a visible comment; one under an invisible post is not there. */
  async owned(id: string): Promise<Owned | null> {
    const [row] = await this.#dataSource.query<CommentRow[]>(commentById(this.#model), [id]);
    return row ? { ownerId: row.author_id, version: row.version } : null;
  }

  /** @throws Problem when the write meets something else than the doorway saw */
  async edit(
    id: string,
    caller: Caller & { kind: 'user' },
    edit: TextEdit,
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

  /** @throws Problem when the write meets something else than the doorway saw */
  async delete(id: string, caller: Caller & { kind: 'user' }, version: number | undefined): Promise<void> {
    const done = await inTransaction(this.#dataSource, async (manager) => {
      await manager.query(LOCK_COMMENT_TALLY, [id]);
      const [rows] = await manager.query<[unknown[], number]>(DELETE_COMMENT, [id, caller.id, version ?? null]);
      return rows.length > 0;
    });
    if (!done) throw await this.#refusal(id, caller, version);
  }

  async #refusal(id: string, caller: Caller, version: number | undefined): Promise<Problem> {
    return refusalProblem(decide('owner of comment', caller, await this.owned(id), version) ?? 'stale', 'comment');
  }

  #toView(row: CommentRow, caller: Caller): CommentView {
    return {
      id: row.id,
      postId: row.post_id,
      parentId: row.parent_id,
      author: toAuthor(row),
      body: row.body,
      createdAt: row.created_at.toISOString(),
      editedAt: row.edited_at?.toISOString() ?? null,
      version: row.version,
      tallies: { reactions: {} },
      reaction: null,
      can: canOf(caller, row.author_id),
      fields: visibleFields(this.#model, 'comments', row.fields, caller, row.author_id),
    };
  }
}
