import {
  canOf,
  decide,
  netOf,
  readSpans,
  toldOfMentions,
  visibleFields,
  type Caller,
  type FieldValues,
  type OwnFields,
  type Owned,
  inBucketOf,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { prepared } from '../../ground/database/prepared.js';
import { inTransaction } from '../../ground/database/transaction.js';
import type { ListCursor } from '@gather-lane/core';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { invalid, Problem, refusalProblem } from '../../ground/http/problem.js';
import { fieldColumns, fieldsJson, withFieldProblems } from '../../ground/fields/field-columns.js';
import type { Taking } from '../../ground/idempotency/service.js';
import type { Posts } from '../posts/service.js';
import type { Watches } from '../watches/service.js';
import { toAuthor, type AuthorColumns } from '../../accounts/users/author.js';
import { viewerOf } from '../../accounts/users/visibility.js';
import { tell } from '../../notifications/telling/tell.js';
import { mentionedBy, READING, readInto } from '../reading/service.js';
import { CommentMaking } from './making.js';
import { markerOf } from './marker.js';
import { pageOfComments, type CommentLevel, type CommentSort, type PageRow } from './page-queries.js';
import {
  ANCESTORS,
  commentsById,
  editComment,
  HOLD_COMMENT,
  OWNED_COMMENT,
  PLACE_OF_COMMENT,
  type CommentRow,
  type HeldComment,
} from './queries.js';
import type { CommentInContext, CommentView, ThreadView } from './schema.js';

/** What of a comment is edited; what is not named stays. */
export interface CommentEdit {
  readonly body?: string;
  readonly fields?: FieldValues;
}

/** What is read of a conversation. */
export interface Reading {
  readonly sort: CommentSort;
  /** How many of the first replies come with each comment. */
  readonly replies: number;
}

/** The conversation below posts. */
export class Comments {
  readonly #dataSource: DataSource;
  readonly #posts: Posts;
  readonly #pages: Pages;
  readonly #address: PublicAddress;
  readonly #model: OwnFields;
  /** Comments by their ids; see {@link commentsById}. */
  readonly #byId: string;
  readonly #making: CommentMaking;

  /** @param deepest how many comments one can stand under */
  constructor(
    dataSource: DataSource,
    { posts, watches, pages, address }: { posts: Posts; watches: Watches; pages: Pages; address: PublicAddress },
    model: OwnFields,
    deepest: number,
  ) {
    this.#dataSource = dataSource;
    this.#posts = posts;
    this.#pages = pages;
    this.#address = address;
    this.#model = model;
    this.#byId = prepared(commentsById(model));
    this.#making = new CommentMaking(dataSource, watches, deepest);
  }

  /**
   * Makes a comment, with those that come at the same time.
   * @param taking the key of the call, where it has one
   * @returns the id of the new comment
   * @throws Problem `not-found` for a post that is not visible, `invalid` for a parent that is not of this post
   */
  async create(
    postId: string,
    author: Caller & { kind: 'user' },
    body: string,
    parentId: string | null,
    fields?: FieldValues,
    taking: Taking | null = null,
  ): Promise<string> {
    const id = inBucketOf(uuidv7(), postId);
    const { columns } = fieldColumns(fields);
    const comment = { id, postId, authorId: author.id, body, parentId, columns, fields: fieldsJson(fields), taking };
    if (await this.#making.make(comment)) return id;
    if (!(await this.#posts.owned(postId, author)))
      throw new Problem('not-found', 'There is no such post, or it was deleted.');
    throw invalid('/parentId', 'names no comment of this post');
  }

  /**
   * @param context whether what it stands under comes with it
   * @throws Problem `not-found`
   */
  async view(id: string, caller: Caller, context = false): Promise<CommentInContext> {
    if (!(await this.owned(id, caller))) throw NO_COMMENT();
    const above = context ? await this.#dataSource.query<{ id: string }[]>(ANCESTORS, [id]) : [];
    const views = await this.#viewAll([...above.map((row) => row.id), id], caller, id);
    const view = views.get(id);
    if (!view) throw NO_COMMENT();
    return { ...view, ...(context && { ancestors: above.map((row) => views.get(row.id)!).filter(Boolean) }) };
  }

  /** A page of the comments on a post, or of those at its top. @param at where it is read @throws Problem `not-found` for a post that is not visible */
  async list(
    postId: string,
    level: 'all' | 'top',
    reading: Reading,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<ThreadView>> {
    if (!(await this.#posts.owned(postId, caller)))
      throw new Problem('not-found', 'There is no such post, or it was deleted.');
    const list = `comments:${level}:${reading.sort}:${postId}`;
    return this.#page(list, { id: postId, level: level === 'all' ? 'all' : 'place' }, reading, request, caller, at);
  }

  /** A page of the replies to a comment. @param at where it is read @throws Problem `not-found` for one that is not shown */
  async replies(
    id: string,
    reading: Reading,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<ThreadView>> {
    const rows = await this.#dataSource.query<unknown[]>(PLACE_OF_COMMENT, [id, viewerOf(caller)]);
    if (rows.length === 0) throw NO_COMMENT();
    return this.#page(repliesOf(id, reading.sort), { id, level: 'place' }, reading, request, caller, at);
  }

  /** Owner and version of a comment that the caller may see; one under an invisible post is not there. */
  async owned(id: string, caller: Caller): Promise<Owned | null> {
    const parameters = [id, viewerOf(caller)];
    const [row] = await this.#dataSource.query<{ author_id: string; version: number }[]>(OWNED_COMMENT, parameters);
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
    const done = await withFieldProblems(() =>
      inTransaction(this.#dataSource, async (manager) => {
        const [before] = await manager.query<HeldComment[]>(HOLD_COMMENT, [id, caller.id, version ?? null]);
        if (!before) return false;
        const { body } = edit;
        const text = { authorId: caller.id, postAuthorId: before.post_author_id, before };
        const spans = body === undefined ? null : await readInto(manager, { ...text, body }, 'share');
        const read = [spans && JSON.stringify(spans), spans && READING];
        await manager.query(editComment(columns), [id, body ?? null, ...read, ...values]);
        const written = { id, authorId: caller.id, postId: before.post_id };
        if (spans) await tell(manager, toldOfMentions(written, mentionedBy(spans), mentionedBy(before.spans)));
        return true;
      }),
    );
    if (!done) throw await this.#refusal(id, caller, version);
  }

  async #page(
    list: string,
    place: { readonly id: string; readonly level: CommentLevel },
    { sort, replies }: Reading,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<ThreadView>> {
    const from = await this.#pages.startOf(list, request);
    const rows = await at.query<PageRow[]>(pageOfComments(place.level, sort), [
      place.id,
      keyOf(sort, from),
      from?.id ?? null,
      request.limit + 1,
      viewerOf(caller),
      replies,
    ]);
    const shown = rows.slice(0, request.limit);
    const firstOf = (row: PageRow) => (row.replies ?? []).slice(0, replies);
    const views = await this.#viewAll(
      shown.flatMap((row) => [row.id, ...firstOf(row)]),
      caller,
      null,
      at,
    );
    const { items, next } = await this.#pages.toPage(
      list,
      request,
      rows,
      (row) => (sort === 'liveliest' ? row.people : row.created_at.getTime()),
      (row) => row,
    );
    const threads = items.map(async (row): Promise<ThreadView[]> => {
      const view = views.get(row.id);
      // Gone for good between the two statements.
      if (!view) return [];
      if (replies === 0) return [view];
      const ids = (row.replies ?? []).map((id, i) => ({ id, at: row.instants![i]! }));
      const first = await this.#pages.toPage(
        repliesOf(row.id, 'oldest'),
        { limit: replies },
        ids,
        ({ at }) => at.getTime(),
        ({ id }) => views.get(id),
      );
      return [{ ...view, replies: { items: first.items.filter((reply) => reply !== undefined), next: first.next } }];
    });
    return { items: (await Promise.all(threads)).flat(), next };
  }

  async #viewAll(
    ids: string[],
    caller: Caller,
    asked: string | null,
    at: Querying = this.#dataSource,
  ): Promise<Map<string, CommentView>> {
    if (ids.length === 0) return new Map();
    const rows = await at.query<CommentRow[]>(this.#byId, [ids, viewerOf(caller), asked]);
    return new Map(rows.map((row) => [row.id, this.#toView(row, caller)]));
  }

  async #refusal(id: string, caller: Caller, version: number | undefined): Promise<Problem> {
    return refusalProblem(
      decide('owner of comment', caller, await this.owned(id, caller), version) ?? 'stale',
      'comment',
    );
  }

  #toView(row: CommentRow, caller: Caller): CommentView {
    const marker = markerOf(row);
    const place = {
      id: row.id,
      postId: row.post_id,
      parentId: row.under_id,
      depth: row.depth,
      answers: row.parent_id === row.under_id ? null : { comment: row.parent_id, handle: row.answered_handle },
      marker,
      createdAt: row.created_at.toISOString(),
      version: row.version,
    };
    const { replies, below, people } = row;
    // What is not read is not said: neither the text, nor whose it was, nor what others made of it.
    if (marker !== null || !isAuthored(row))
      return {
        ...place,
        author: null,
        body: '',
        spans: [],
        editedAt: null,
        tallies: { replies, below, people, reactions: {}, net: 0 },
        reaction: null,
        can: canOf({ kind: 'nobody' }, null),
        fields: visibleFields(this.#model, 'comments', null, caller, null),
      };
    return {
      ...place,
      author: toAuthor(row, this.#address),
      body: row.body,
      spans: readSpans(row.spans),
      editedAt: row.edited_at?.toISOString() ?? null,
      tallies: { replies, below, people, reactions: row.reactions, net: netOf(row.reactions, row.weights) },
      reaction: row.reaction,
      can: canOf(caller, row.author_id),
      fields: visibleFields(this.#model, 'comments', row.fields, caller, row.author_id),
    };
  }
}

const NO_COMMENT = () => new Problem('not-found', 'There is no such comment, or it was deleted.');

/** The name of the list of a comment's replies, which those that come with it are the beginning of. */
const repliesOf = (id: string, sort: CommentSort): string => `replies:${sort}:${id}`;

const keyOf = (sort: CommentSort, from: ListCursor | null): string | number | null =>
  sort === 'liveliest' ? from && Number(from.key) : instantOf(from);

const isAuthored = (row: CommentRow): row is CommentRow & AuthorColumns => row.author_id !== null;
