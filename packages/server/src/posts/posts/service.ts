import {
  canOf,
  decide,
  netOf,
  peopleOf,
  readSpans,
  toldOfMentions,
  visibleFields,
  type Caller,
  type FieldValues,
  type OwnFields,
  type Owned,
  type People,
  type StoredSpan,
  inBucketOf,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { Querying } from '../../ground/database/hot-transaction.js';
import type { InstantText } from '../../ground/database/instants.js';
import { prepared } from '../../ground/database/prepared.js';
import { inTransaction } from '../../ground/database/transaction.js';
import type { Taking } from '../../ground/idempotency/service.js';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import { invalid, Problem, refusalProblem } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { fieldColumns, fieldsJson, withFieldProblems } from '../../ground/fields/field-columns.js';
import { tell } from '../../notifications/telling/tell.js';
import { mentionedBy, READING, readInto } from '../reading/service.js';
import { toPicture } from '../../accounts/media/picture.js';
import { toCounts } from '../../ranking/tallies/counts.js';
import { toAuthor } from '../../accounts/users/author.js';
import { viewerOf } from '../../accounts/users/visibility.js';
import { PostMaking } from './making.js';
import { setPictures, type PictureChoice } from './pictures.js';
import {
  CLEAR_PICTURES,
  COUNT_PICTURES,
  editPost,
  HOLD_POST,
  listPosts,
  LIST_VERSIONS,
  OWNED_POST,
  postsById,
  type PostByIdRow,
  type VersionRow,
} from './queries.js';
import type { PostView, VersionView } from './schema.js';
import type { PostRow } from './shown-post.js';

/** A post as the caller sees it, with the engagement that lifts it. */
export interface PostWithPeople {
  readonly post: PostView;
  readonly people: People;
}

/** What a post is made of: text, pictures, or both. */
export interface PostContent {
  readonly body?: string;
  readonly media?: readonly PictureChoice[];
  readonly fields?: FieldValues;
}

/** What of a post is edited; what is not named stays, null clears. */
export interface PostEdit {
  readonly body?: string | null;
  readonly media?: readonly PictureChoice[] | null;
  readonly fields?: FieldValues;
}

const NOTHING = invalid('/body', 'is missing: a post has text, pictures or both');

/** Posts: making, reading, editing, deleting. */
export class Posts {
  readonly #dataSource: DataSource;
  readonly #pages: Pages;
  readonly #address: PublicAddress;
  readonly #model: OwnFields;
  readonly #byId: string;
  readonly #making: PostMaking;

  constructor(dataSource: DataSource, pages: Pages, address: PublicAddress, model: OwnFields) {
    this.#dataSource = dataSource;
    this.#pages = pages;
    this.#address = address;
    this.#model = model;
    this.#making = new PostMaking(dataSource);
    this.#byId = prepared(postsById(model), { textInstants: true });
  }

  /**
   * Makes a post, with those that come at the same time.
   * @param taking the key of the call, where it has one
   * @returns the id of the new post
   * @throws Problem `invalid` for a post of nothing, and for pictures that are not the author's own
   */
  async create(
    authorId: string,
    { body = '', media = [], fields }: PostContent,
    taking: Taking | null = null,
  ): Promise<string> {
    const id = inBucketOf(uuidv7(), authorId);
    if (!body && media.length === 0) throw NOTHING;
    const { columns } = fieldColumns(fields);
    await this.#making.make({ id, authorId, body, media, columns, fields: fieldsJson(fields), taking });
    return id;
  }

  /** @throws Problem `not-found` for one that is not there, or is not visible */
  async view(id: string, caller: Caller): Promise<PostView> {
    const [found] = await this.viewAll([id], caller);
    if (!found) throw new Problem('not-found', 'There is no such post, or it was deleted.');
    return found.post;
  }

  /** Visible posts in the order of the ids, in one statement whatever their number. @param at where they are read */
  async viewAll(ids: string[], caller: Caller, at: Querying = this.#dataSource): Promise<PostWithPeople[]> {
    if (ids.length === 0) return [];
    const rows = await at.query<PostByIdRow[]>(this.#byId, [ids, viewerOf(caller)]);
    return rows.map((row) => ({
      post: this.toView(row, caller, row.weights, row.lane_time),
      people: peopleOf(toCounts(row)),
    }));
  }

  /** A page of everybody's posts, or of one author's. @param at where it is read */
  async list(
    sort: 'newest' | 'oldest',
    authorId: string | null,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<PostView>> {
    const list = `posts:${sort}:${authorId ?? 'everybody'}`;
    const from = await this.#pages.startOf(list, request);
    const rows = await at.query<{ id: string; created_at: Date }[]>(
      listPosts(sort, authorId ? 'author' : 'everybody'),
      [authorId, instantOf(from), from?.id ?? null, request.limit + 1, viewerOf(caller)],
    );
    const page = await this.#pages.toPage(
      list,
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => row.id,
    );
    return { items: (await this.viewAll(page.items, caller, at)).map(({ post }) => post), next: page.next };
  }

  /** Owner and version of a post that the caller may see, or null. */
  async owned(id: string, caller: Caller): Promise<Owned | null> {
    const parameters = [id, viewerOf(caller)];
    const [row] = await this.#dataSource.query<{ author_id: string; version: number }[]>(OWNED_POST, parameters);
    return row ? { ownerId: row.author_id, version: row.version } : null;
  }

  /**
   * Edits what is named; what it said until now is kept as a version.
   * @throws Problem when the write meets something else than the doorway saw, `invalid` when nothing would be left
   */
  async edit(
    id: string,
    caller: Caller & { kind: 'user' },
    edit: PostEdit,
    version: number | undefined,
  ): Promise<void> {
    const { columns, values } = fieldColumns(edit.fields);
    if (edit.body === undefined && edit.media === undefined && columns.length === 0) return;
    const body = edit.body === null ? '' : (edit.body ?? null);
    const done = await withFieldProblems(() =>
      inTransaction(this.#dataSource, async (manager) => {
        // Held in a statement of its own: what is kept as a version and what is edited are then the same row.
        const [before] = await manager.query<HeldText[]>(HOLD_POST, [id, caller.id, version ?? null]);
        if (!before) return false;
        const text = { authorId: caller.id, postAuthorId: caller.id, before };
        const spans = body === null ? null : await readInto(manager, { ...text, body }, 'share');
        const rows = await manager.query<[{ body: string }[], number]>(editPost(this.#model, columns), [
          id,
          body,
          spans && JSON.stringify(spans),
          spans && READING,
          ...values,
        ]);
        const row = rows[0][0]!;
        const written = { id, authorId: caller.id, postId: id };
        if (spans) await tell(manager, toldOfMentions(written, mentionedBy(spans), mentionedBy(before.spans)));
        if (edit.media !== undefined) {
          await manager.query(CLEAR_PICTURES, [id]);
          await setPictures(manager, id, caller.id, edit.media ?? []);
        }
        if (row.body) return true;
        const [left] = await manager.query<{ n: number }[]>(COUNT_PICTURES, [id]);
        if (left!.n === 0) throw NOTHING;
        return true;
      }),
    );
    if (!done) throw await this.#refusal(id, caller, version);
  }

  /** A page of what a post said before its edits, the latest first; for who may edit or moderate it. */
  async versions(id: string, request: PageRequest, caller: Caller): Promise<Page<VersionView>> {
    const list = `versions:${id}`;
    const from = await this.#pages.startOf(list, request);
    const rows = await this.#dataSource.query<VersionRow[]>(LIST_VERSIONS, [
      id,
      from ? Number(from.key) : null,
      request.limit + 1,
    ]);
    const owner = (await this.owned(id, caller))?.ownerId ?? null;
    return this.#pages.toPage(
      list,
      request,
      rows.map((row) => ({ ...row, id })),
      (row) => row.version,
      (row) => ({
        version: row.version,
        body: row.body,
        media: row.pictures,
        createdAt: row.created_at.toISOString(),
        fields: visibleFields(this.#model, 'posts', row.fields, caller, owner),
      }),
    );
  }

  async #refusal(id: string, caller: Caller, version: number | undefined): Promise<Problem> {
    return refusalProblem(decide('owner of post', caller, await this.owned(id, caller), version) ?? 'stale', 'post');
  }

  /** A post as the caller sees it, of a row that a statement yielded. @param weights by which its reactions count */
  toView(
    row: Omit<PostRow, 'lane_time'>,
    caller: Caller,
    weights: Record<string, number>,
    laneTime: InstantText,
  ): PostView {
    return {
      id: row.id,
      author: toAuthor(row, this.#address),
      body: row.body,
      spans: readSpans(row.spans),
      media: (row.pictures ?? []).map((picture) => toPicture(picture, this.#address)),
      createdAt: row.created_at,
      editedAt: row.edited_at,
      version: row.version,
      tallies: { comments: row.comments, reactions: row.reactions, net: netOf(row.reactions, weights) },
      reaction: row.reaction,
      watching: row.watching,
      can: canOf(caller, row.author_id),
      laneTime,
      url: this.#address.to(`/v1/posts/${row.id}`),
      fields: visibleFields(this.#model, 'posts', row.fields, caller, row.author_id),
    };
  }
}

/** A text as it was before it is edited. */
interface HeldText {
  readonly body: string;
  readonly spans: readonly StoredSpan[];
}
