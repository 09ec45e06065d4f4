import { canOf, decide, visibleFields, type Caller, type FieldValues, type Model, type Owned } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { inTransaction } from '../database/transaction.js';
import { instantOf, startOf, toPage, type Page, type PageRequest } from '../http/pagination.js';
import { Problem, refusalProblem } from '../http/problem.js';
import type { PublicAddress } from '../http/public-address.js';
import { fieldColumns, withFieldProblems } from '../model/field-columns.js';
import { toAuthor } from '../users/queries.js';
import {
  createPost,
  DELETE_POST,
  editPost,
  listPosts,
  LOCK_POST_TALLY,
  OWNED_POST,
  postsById,
  type PostRow,
} from './queries.js';
import type { PostView } from './schema.js';

/** A post as the caller sees it, with the engagement that lifts it. */
export interface PostWithPeople {
  readonly post: PostView;
  readonly people: { readonly comment: number };
}

/** What of a post or comment is edited; what is not named stays. */
export interface TextEdit {
  readonly body?: string;
  readonly fields?: FieldValues;
}

/** Posts: making, reading, editing, deleting. */
export class Posts {
  readonly #dataSource: DataSource;
  readonly #address: PublicAddress;
  readonly #model: Model;

  constructor(dataSource: DataSource, address: PublicAddress, model: Model) {
    this.#dataSource = dataSource;
    this.#address = address;
    this.#model = model;
  }

  /** @returns the id of the new post */
  async create(authorId: string, body: string, fields?: FieldValues): Promise<string> {
    const id = uuidv7();
    const { columns, values } = fieldColumns(fields);
    await withFieldProblems(() =>
      inTransaction(this.#dataSource, (manager) => manager.query(createPost(columns), [id, authorId, body, ...values])),
    );
    return id;
  }

  /** @throws Problem `not-found` for one that is not there, or is not visible */
  async view(id: string, caller: Caller): Promise<PostView> {
    const [found] = await this.viewAll([id], caller);
    if (!found) throw new Problem('not-found', 'There is no such post, or it was deleted.');
    return found.post;
  }

  /** Visible posts in the order of the ids, in one statement whatever their number. */
  async viewAll(ids: string[], caller: Caller): Promise<PostWithPeople[]> {
    if (ids.length === 0) return [];
    const rows = await this.#dataSource.query<PostRow[]>(postsById(this.#model), [ids]);
    return rows.map((row) => ({ post: this.#toView(row, caller), people: { comment: row.comment_people } }));
  }

  /** A page of everybody's posts, or of one author's. */
  async list(
    sort: 'newest' | 'oldest',
    authorId: string | null,
    request: PageRequest,
    caller: Caller,
  ): Promise<Page<PostView>> {
    const list = `posts:${sort}:${authorId ?? 'everybody'}`;
    const from = startOf(list, request);
    const rows = await this.#dataSource.query<{ id: string; created_at: Date }[]>(
      listPosts(sort, authorId ? 'author' : 'everybody'),
      [authorId, instantOf(from), from?.id ?? null, request.limit + 1],
    );
    const page = toPage(
      list,
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => row.id,
    );
    return { items: (await this.viewAll(page.items, caller)).map(({ post }) => post), next: page.next };
  }

  /** Owner and version of a visible post, or null. */
  async owned(id: string): Promise<Owned | null> {
    const [row] = await this.#dataSource.query<{ author_id: string; version: number }[]>(OWNED_POST, [id]);
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
      this.#dataSource.query<[unknown[], number]>(editPost(columns), parameters),
    );
    if (rows.length === 0) throw await this.#refusal(id, caller, version);
  }

  /** @throws Problem when the write meets something else than the doorway saw */
  async delete(id: string, caller: Caller & { kind: 'user' }, version: number | undefined): Promise<void> {
    const done = await inTransaction(this.#dataSource, async (manager) => {
      await manager.query(LOCK_POST_TALLY, [id]);
      const [rows] = await manager.query<[unknown[], number]>(DELETE_POST, [id, caller.id, version ?? null]);
      return rows.length > 0;
    });
    if (!done) throw await this.#refusal(id, caller, version);
  }

  async #refusal(id: string, caller: Caller, version: number | undefined): Promise<Problem> {
    return refusalProblem(decide('owner of post', caller, await this.owned(id), version) ?? 'stale', 'post');
  }

  #toView(row: PostRow, caller: Caller): PostView {
    return {
      id: row.id,
      author: toAuthor(row),
      body: row.body,
      createdAt: row.created_at.toISOString(),
      editedAt: row.edited_at?.toISOString() ?? null,
      version: row.version,
      tallies: { comments: row.comments, reactions: {} },
      reaction: null,
      can: canOf(caller, row.author_id),
      laneTime: row.lane_time.toISOString(),
      url: this.#address.to(`/v1/posts/${row.id}`),
      fields: visibleFields(this.#model, 'posts', row.fields, caller, row.author_id),
    };
  }
}
