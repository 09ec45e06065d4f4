import { canOf, decide, type Caller, type Owned } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { inTransaction } from '../database/transaction.js';
import { instantOf, startOf, toPage, type Page, type PageRequest } from '../http/pagination.js';
import { invalid, Problem, refusalProblem } from '../http/problem.js';
import { LOCK_POST_TALLY } from '../posts/queries.js';
import type { Posts } from '../posts/service.js';
import { toAuthor } from '../users/queries.js';
import {
  COMMENT_BY_ID,
  CREATE_COMMENT,
  DELETE_COMMENT,
  EDIT_COMMENT,
  listComments,
  LOCK_COMMENT_TALLY,
  type CommentRow,
} from './queries.js';
import type { CommentView } from './schema.js';

/** The conversation below posts. */
export class Comments {
  readonly #dataSource: DataSource;
  readonly #posts: Posts;

  constructor(dataSource: DataSource, posts: Posts) {
    this.#dataSource = dataSource;
    this.#posts = posts;
  }

  /**
   * @returns the id of the new comment
   * @throws Problem `not-found` for a post that is not visible, `invalid` for a parent that is not of this post
   */
  async create(postId: string, authorId: string, body: string, parentId: string | null): Promise<string> {
    const id = uuidv7();
    const made = await inTransaction(this.#dataSource, async (manager) => {
      await manager.query(LOCK_POST_TALLY, [postId]);
      return manager.query<unknown[]>(CREATE_COMMENT, [id, postId, authorId, body, parentId]);
    });
    if (made.length > 0) return id;
    if (!(await this.#posts.owned(postId))) throw new Problem('not-found', 'There is no such post, or it was deleted.');
    throw invalid('/parentId', 'names no comment of this post');
  }

  /** @throws Problem `not-found` */
  async view(id: string, caller: Caller): Promise<CommentView> {
    const [row] = await this.#dataSource.query<CommentRow[]>(COMMENT_BY_ID, [id]);
    if (!row) throw new Problem('not-found', 'There is no such comment, or it was deleted.');
    return toView(row, caller);
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
    const rows = await this.#dataSource.query<CommentRow[]>(listComments(sort), [
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
      (row) => toView(row, caller),
    );
  }

  /** Owner and version of a visible comment; one under an invisible post is not there. */
  async owned(id: string): Promise<Owned | null> {
    const [row] = await this.#dataSource.query<CommentRow[]>(COMMENT_BY_ID, [id]);
    return row ? { ownerId: row.author_id, version: row.version } : null;
  }

  /** @throws Problem when the write meets something else than the doorway saw */
  async edit(id: string, caller: Caller & { kind: 'user' }, body: string, version: number | undefined): Promise<void> {
    const [rows] = await this.#dataSource.query<[unknown[], number]>(EDIT_COMMENT, [
      id,
      caller.id,
      body,
      version ?? null,
    ]);
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
}

function toView(row: CommentRow, caller: Caller): CommentView {
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
  };
}
