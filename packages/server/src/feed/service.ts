import type { Caller, FeedCursor, Position, WeightingInForce } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { sqlState } from '../ground/database/transaction.js';
import type { Cursors } from '../ground/http/cursors.js';
import type { SignedIn } from '../ground/http/principal.js';
import { Problem } from '../ground/http/problem.js';
import type { Posts } from '../posts/posts/service.js';
import { numbersOf } from '../ranking/weighting/in-force.js';
import { explain } from './place.js';
import { feedNewer, feedPage, FORGET_DROPS, type FeedOrder, type FeedPageRow } from './queries.js';
import type { FeedItem, NewerView } from './schema.js';
import { FIRST_ID, LAST_ID } from '../ground/database/keyset.js';

const SCROLL_MS = 24 * 3_600_000;
const MOST_NEWER = 99;
const NO_SUCH_TABLE = '42P01';

/** What a feed is asked for. */
export interface FeedRequest {
  readonly order: FeedOrder;
  readonly own: boolean;
  readonly limit: number;
  readonly place: boolean;
  readonly after?: string;
}

/** A page of a feed. */
export interface FeedPage {
  readonly items: FeedItem[];
  readonly next: string | null;
  readonly first: string;
}

/** The following feed. One function answers it everywhere, so that no two lists can differ by query. */
export class Feed {
  readonly #dataSource: DataSource;
  readonly #posts: Posts;
  readonly #cursors: Cursors;

  constructor(dataSource: DataSource, posts: Posts, cursors: Cursors) {
    this.#dataSource = dataSource;
    this.#posts = posts;
    this.#cursors = cursors;
  }

  /**
   * A page of the viewer's following feed, in two statements; the first page that a process reads under a weighting of before
   * takes one more for its numbers.
   * @throws Problem `bad-cursor`, or `scroll-expired` for a scroll that began more than a day ago
   */
  async page(viewer: SignedIn, { order, own, limit, place, after }: FeedRequest): Promise<FeedPage> {
    const from = after === undefined ? null : await this.#open(after, 'next', viewer.weighting);
    if (from && (from.order !== order || from.own !== own))
      throw new Problem(
        'bad-cursor',
        `This cursor belongs to order=${from.order}, own=${from.own}: ask with the same, or leave it out to begin again.`,
      );
    const weighting = from?.weighting ?? viewer.weighting.id;
    const isOld = weighting !== viewer.weighting.id;
    const at = from?.position ? new Date(from.position.at).toISOString() : 'infinity';
    const rows = await this.#standing<FeedPageRow>(feedPage(order, weighting), [
      viewer.userId,
      own,
      at,
      from?.position?.id ?? LAST_ID,
      limit + 1,
      from?.snapshot ?? null,
    ]);
    const { snapshot, now } = rows[0]!;
    const scroll = { order, own, weighting, snapshot, begun: from?.begun ?? now.getTime() };
    const found = rows.filter((row): row is FeedPageRow & { id: string } => row.id !== null);
    const shown = found.slice(0, limit);
    const [top, last] = [shown[0], shown.at(-1)];

    const caller: Caller = { kind: 'user', id: viewer.userId, moderator: viewer.moderator };
    const sinces = new Map(shown.map((row) => [row.id, row.since]));
    // Visibility is looked at again as the posts are read: one deleted in between leaves the page shorter.
    const posts = await this.#posts.viewAll(
      shown.map((row) => row.id),
      caller,
    );
    // A scroll that began before another weighting was adopted goes on by its own: what it says of places, too.
    const numbers = isOld && place ? await numbersOf(this.#dataSource, weighting) : viewer.weighting;
    const items = posts.map(({ post, people }) => {
      if (!place) return post;
      const since = sinces.get(post.id) ?? null;
      const explained = explain(new Date(post.createdAt), post.author.handle, since, people, numbers);
      return { ...post, laneTime: explained.laneTime, place: explained };
    });
    const more = found.length > limit && last;
    return {
      items,
      next: more ? await this.#cursors.writeFeed({ mark: 'next', ...scroll, position: positionOf(last) }) : null,
      first: await this.#cursors.writeFeed({ mark: 'first', ...scroll, position: top ? positionOf(top) : null }),
    };
  }

  /** What has come above where a scroll began. */
  async newer(viewer: SignedIn, than: string): Promise<NewerView> {
    const from = await this.#open(than, 'first', viewer.weighting);
    const reordered = from.weighting !== viewer.weighting.id;
    const at = from.position ? new Date(from.position.at).toISOString() : '-infinity';
    const [row] = await this.#standing<{ new: number; risen: number }>(feedNewer(from.order, from.weighting), [
      viewer.userId,
      from.own,
      at,
      from.position?.id ?? FIRST_ID,
      new Date(from.begun).toISOString(),
    ]);
    const made = Math.min(row!.new, MOST_NEWER);
    return {
      new: made,
      risen: Math.min(row!.risen, MOST_NEWER - made),
      more: row!.new + row!.risen > MOST_NEWER,
      reordered,
    };
  }

  /** Forgets drops that no scroll can meet any more. */
  async forgetDrops(): Promise<void> {
    await this.#dataSource.query(FORGET_DROPS);
  }

  /** Reads standings, which are gone a day after their weighting was in force. @throws Problem `scroll-expired` */
  async #standing<T>(sql: string, parameters: unknown[]): Promise<T[]> {
    try {
      return await this.#dataSource.query<T[]>(sql, parameters);
    } catch (error) {
      if (sqlState(error) !== NO_SUCH_TABLE) throw error;
      throw new Problem('scroll-expired', 'The weighting of this scroll is gone: begin again without a cursor.');
    }
  }

  async #open(text: string, mark: FeedCursor['mark'], inForce: WeightingInForce): Promise<FeedCursor> {
    const cursor = await this.#cursors.readFeed(text);
    if (!cursor)
      throw new Problem(
        'bad-cursor',
        'This is not a cursor of ours, or it was changed on the way: pass it exactly as it came.',
      );
    if (cursor.mark !== mark)
      throw new Problem('bad-cursor', `This is the \`${cursor.mark}\` of a feed page; here its \`${mark}\` is needed.`);
    // The clock of the service against the database's: near enough for a day.
    if (Date.now() - cursor.begun > SCROLL_MS || cursor.weighting > inForce.id)
      throw new Problem('scroll-expired', 'This scroll began more than a day ago: begin again without a cursor.');
    return cursor;
  }
}

const positionOf = ({ key, id }: { key: Date; id: string }): Position => ({ at: key.getTime(), id });
