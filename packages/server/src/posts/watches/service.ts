import type { Caller } from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { inTransaction } from '../../ground/database/transaction.js';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import { tell } from '../../notifications/telling/tell.js';
import type { Posts } from '../posts/service.js';
import type { PostView } from '../posts/schema.js';
import {
  AFTER_COMMENTS,
  ANNOUNCED,
  ANNOUNCED_UP_TO,
  HOLD_ANNOUNCED,
  HOLD_TELLING,
  NEXT_ANNOUNCEMENT,
  UNWATCH,
  WATCH,
  WATCHED,
  WATCHERS,
  type AnnouncementRow,
} from './queries.js';

/** So many who watch are told in one transaction. */
const AT_ONCE = 200;

/** Watching posts, and telling those who do: after the act, which none of them holds up. */
export class Watches {
  readonly #dataSource: DataSource;
  readonly #background: DataSource;
  readonly #posts: Posts;
  readonly #pages: Pages;
  #announcing: Promise<void> | null = null;
  #again = false;

  /** @param background where those who watch are told */
  constructor(dataSource: DataSource, background: DataSource, { posts, pages }: { posts: Posts; pages: Pages }) {
    this.#dataSource = dataSource;
    this.#background = background;
    this.#posts = posts;
    this.#pages = pages;
  }

  /** Watches a post, or leaves it. @returns whether that changed anything */
  async set(postId: string, userId: string, watching: boolean): Promise<boolean> {
    const rows = await this.#dataSource.query<unknown[]>(watching ? WATCH : UNWATCH, [postId, userId]);
    return rows.length > 0;
  }

  /** A page of the posts that a user watches and may see, the latest first. */
  async list(userId: string, request: PageRequest, caller: Caller, at: Querying): Promise<Page<PostView>> {
    const list = `watches:${userId}`;
    const from = await this.#pages.startOf(list, request);
    const parameters = [userId, instantOf(from), from?.id ?? null, request.limit + 1];
    const rows = await at.query<{ id: string; created_at: Date }[]>(WATCHED, parameters);
    const page = await this.#pages.toPage(
      list,
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => row.id,
    );
    const posts = await this.#posts.viewAll(page.items, caller, at);
    return { items: posts.map(({ post }) => post), next: page.next };
  }

  /** In the transaction that makes comments: their authors watch the posts, and those who do are to be told. */
  async commented(manager: Querying, ids: readonly string[]): Promise<void> {
    await manager.query(AFTER_COMMENTS, [ids]);
  }

  /** Tells those who are to be told, soon; nobody waits for it. Should it fail, the upkeep does it. */
  announceSoon(): void {
    this.#again = true;
    this.#announcing ??= this.#announceUntilDone().catch(() => undefined);
  }

  /** What is under way has ended. */
  async settled(): Promise<void> {
    await this.#announcing;
  }

  /** Tells those who watch of all comments that wait, in batches; a comment that another process is at is left to it. */
  async announce(): Promise<void> {
    await this.settled();
    await this.#announceAll();
  }

  async #announceAll(): Promise<void> {
    while (await inTransaction(this.#background, (manager) => this.#announceSome(manager)));
  }

  async #announceUntilDone(): Promise<void> {
    try {
      while (this.#again) {
        this.#again = false;
        await this.#announceAll();
      }
    } finally {
      this.#announcing = null;
    }
  }

  /** @returns whether there was something to do */
  async #announceSome(manager: EntityManager): Promise<boolean> {
    const [next] = await manager.query<AnnouncementRow[]>(NEXT_ANNOUNCEMENT);
    if (!next) return false;
    const { comment_id: id, after_user: after } = next;
    await manager.query(HOLD_TELLING);
    const [comment] = await manager.query<{ post_id: string; author_id: string }[]>(HOLD_ANNOUNCED, [id]);
    const watchers = comment
      ? await manager.query<{ user_id: string }[]>(WATCHERS, [comment.post_id, id, after, AT_ONCE])
      : [];
    if (comment) {
      const { post_id: postId, author_id: actorId } = comment;
      const act = { thingId: id, actorId, kind: 'watched', targetId: postId, postId } as const;
      await tell(
        manager,
        watchers.map(({ user_id: userId }) => ({ ...act, userId })),
      );
    }
    const last = watchers.at(-1);
    if (watchers.length === AT_ONCE && last) await manager.query(ANNOUNCED_UP_TO, [id, last.user_id]);
    else await manager.query(ANNOUNCED, [id]);
    return true;
  }
}
