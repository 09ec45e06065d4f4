import { foldHashtagPrefix, hashtagNamed, hashtagPlan, type Caller, type ListCursor } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { viewerOf } from '../../accounts/users/visibility.js';
import { FIRST_ID } from '../../ground/database/keyset.js';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { perChoice } from '../../ground/database/prepared.js';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import { Problem } from '../../ground/http/problem.js';
import type { PostView } from '../posts/schema.js';
import type { Posts } from '../posts/service.js';
import {
  fewPosts,
  FIND_HASHTAG,
  listHashtags,
  LIVELY,
  NEWEST_POSTS,
  scoredPosts,
  type FoundHashtag,
  type HashtagRow,
  type LivelyRow,
  type PageRow,
  type WINDOWS,
} from './queries.js';
import type { HashtagView, LivelyView } from './schema.js';

const MOST_LIVELY = 20;
const scored = perChoice(scoredPosts);
const few = perChoice(fewPosts);

/** Words that posts gather under. */
export class Hashtags {
  readonly #dataSource: DataSource;
  readonly #posts: Posts;
  readonly #pages: Pages;

  constructor(dataSource: DataSource, posts: Posts, pages: Pages) {
    this.#dataSource = dataSource;
    this.#posts = posts;
    this.#pages = pages;
  }

  /** A page of the hashtags that begin so, most used first. */
  async list(prefix: string, request: PageRequest, at: Querying): Promise<Page<HashtagView>> {
    const folded = foldHashtagPrefix(prefix);
    const list = `hashtags:${folded}`;
    const from = await this.#pages.startOf(list, request);
    // What folds to nothing is the beginning of no hashtag.
    if (folded === '' && prefix.replace(/^[#\uFF03]/, '') !== '') return { items: [], next: null };
    const [posts = null, id = null] = from ? String(from.key).split(' ') : [];
    const rows = await at.query<HashtagRow[]>(listHashtags(folded !== ''), [
      folded.replace(/[\\%_]/g, '\\$&'),
      posts,
      id,
      request.limit + 1,
    ]);
    return this.#pages.toPage(
      list,
      request,
      // The place in the list is its number of posts and its own number, which is no id as cursors know them.
      rows.map((row) => ({ ...row, id: FIRST_ID, place: `${row.posts} ${row.id}` })),
      (row) => row.place,
      toView,
    );
  }

  /** @throws Problem `not-found` for one that no post in the caller's sight has */
  async view(name: string, caller: Caller): Promise<HashtagView> {
    return toView(await this.#require(name, caller));
  }

  /**
   * A page of its posts, newest first or by lane time.
   * @throws Problem `not-found`, `bad-cursor`, `scroll-expired` where another weighting came into force meanwhile
   */
  async posts(
    name: string,
    order: 'recent' | 'score',
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<PostView>> {
    const hashtag = await this.#require(name, caller);
    const list = `hashtag:${order}:${hashtag.id}`;
    const from = await this.#pages.startOf(list, request);
    const rows = await at.query<PageRow[]>(
      ...(order === 'recent'
        ? this.#newest(hashtag, from, request, caller)
        : this.#scored(hashtag, from, request, caller)),
    );
    const keyOf = ({ key }: PageRow) => (order === 'recent' ? key.getTime() : `${hashtag.weighting} ${key.getTime()}`);
    const page = await this.#pages.toPage(list, request, rows, keyOf, ({ id }) => id);
    return { items: (await this.#posts.viewAll(page.items, caller, at)).map(({ post }) => post), next: page.next };
  }

  /** The liveliest of the last day or week, as the job made the list last. */
  async lively(over: keyof typeof WINDOWS, at: Querying): Promise<LivelyView> {
    const rows = await at.query<LivelyRow[]>(LIVELY, [over, MOST_LIVELY]);
    return {
      items: rows.map((row) => ({
        ...toView(row),
        lively: { posts: row.posts_then, people: row.people_then, laneTime: row.lane_time.toISOString() },
      })),
      madeAt: rows[0]?.made_at.toISOString() ?? null,
    };
  }

  #newest({ id }: FoundHashtag, from: ListCursor | null, { limit }: PageRequest, caller: Caller): [string, unknown[]] {
    return [NEWEST_POSTS, [id, instantOf(from), from?.id ?? null, limit + 1, viewerOf(caller)]];
  }

  #scored(
    { id, posts, standing, weighting }: FoundHashtag,
    from: ListCursor | null,
    { limit }: PageRequest,
    caller: Caller,
  ): [string, unknown[]] {
    const [by, at] = String(from?.key ?? `${weighting} `).split(' ');
    if (Number(by) !== weighting)
      throw new Problem(
        'scroll-expired',
        'Another weighting came into force since this scroll began: leave `after` out to begin again.',
      );
    const { all, walk } = hashtagPlan(posts, Math.max(standing, posts), limit + 1);
    const instant = at ? new Date(Number(at)).toISOString() : null;
    const parameters = [id, instant, from?.id ?? null, limit + 1, viewerOf(caller)];
    return all ? [few(weighting), parameters] : [scored(weighting), [...parameters, walk]];
  }

  async #require(name: string, caller: Caller): Promise<FoundHashtag> {
    const folded = hashtagNamed(name);
    const [found] =
      folded === null ? [] : await this.#dataSource.query<FoundHashtag[]>(FIND_HASHTAG, [folded, viewerOf(caller)]);
    if (!found) throw new Problem('not-found', 'No post that you may see has this hashtag.');
    return found;
  }
}

const toView = ({ name, shown, posts, people }: HashtagRow): HashtagView => ({
  hashtag: name,
  shown,
  tallies: { posts, people },
});
