import { netOf, type Caller } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { retried } from '../../ground/database/transaction.js';
import { instantOf, type Page, type PageRequest, type Pages } from '../../ground/http/pagination.js';
import { Problem } from '../../ground/http/problem.js';
import { SharedActs } from '../../ground/traces/shared-acts.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { toAuthor } from '../../accounts/users/author.js';
import { viewerOf } from '../../accounts/users/visibility.js';
import {
  COUNTS_AFTER,
  listReactions,
  react,
  type CountsRow,
  type ReactedRow,
  type ReactionRow,
  type Target,
} from './queries.js';
import type { CommentReacted, PostReacted, ReactionView } from './schema.js';

/** Somebody's act on one thing: the kind that their reaction is to be, or null to take it back. */
interface Act {
  readonly thingId: string;
  readonly userId: string;
  readonly kind: string | null;
}

/** What came of it, or null where the thing is not there for this user. */
type Outcome = { readonly changed: boolean; readonly counts: CountsRow } | null;

const MOST_AT_ONCE = 500;

/** Reactions on posts and comments: one for each person and thing. Those that come at the same time are written together. */
export class Reactions {
  readonly #dataSource: DataSource;
  readonly #pages: Pages;
  readonly #address: PublicAddress;
  readonly #combiners: Record<Target, SharedActs<Act, Outcome>>;

  constructor(dataSource: DataSource, pages: Pages, address: PublicAddress) {
    this.#dataSource = dataSource;
    this.#pages = pages;
    this.#address = address;
    const combiner = (target: Target) =>
      new SharedActs<Act, Outcome>('reactions', {
        keyOf: ({ thingId, userId }) => `${thingId} ${userId}`,
        work: (acts) => this.#write(target, acts),
        most: MOST_AT_ONCE,
      });
    this.#combiners = { post: combiner('post'), comment: combiner('comment') };
  }

  /**
   * Reacts to a post, or takes the reaction back with null. Answered once it is committed, with the counts after it.
   * @throws Problem `not-found` for a post that is not there for this user
   */
  async onPost(postId: string, userId: string, kind: string | null): Promise<PostReacted> {
    const { changed, counts } = await this.#act('post', { thingId: postId, userId, kind });
    const { comments, reactions, weights, lane_time } = counts;
    // Taken out of sight right after the act: it stands nowhere.
    if (!lane_time) throw notThere('post');
    const tallies = { comments: comments!, reactions, net: netOf(reactions, weights) };
    return { postId, changed, reaction: kind, tallies, laneTime: lane_time.toISOString() };
  }

  /** The same for a comment, whose reactions lift nothing. @throws Problem `not-found` */
  async onComment(commentId: string, userId: string, kind: string | null): Promise<CommentReacted> {
    const { changed, counts } = await this.#act('comment', { thingId: commentId, userId, kind });
    const { reactions, weights } = counts;
    return { commentId, changed, reaction: kind, tallies: { reactions, net: netOf(reactions, weights) } };
  }

  /** A page of who reacted to a thing that the caller may see, newest first. @param kind only those with this kind @param at where it is read */
  async list(
    target: Target,
    id: string,
    kind: string | undefined,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<ReactionView>> {
    const list = `reactions:${target}:${kind ?? 'any'}:${id}`;
    const from = await this.#pages.startOf(list, request);
    const rows = await at.query<ReactionRow[]>(listReactions(target), [
      id,
      instantOf(from),
      from?.id ?? null,
      request.limit + 1,
      kind ?? null,
      viewerOf(caller),
    ]);
    return this.#pages.toPage(
      list,
      request,
      rows,
      (row) => row.created_at.getTime(),
      (row) => ({ user: toAuthor(row, this.#address), kind: row.kind, createdAt: row.created_at.toISOString() }),
    );
  }

  async #act(target: Target, act: Act): Promise<NonNullable<Outcome>> {
    const outcome = await this.#combiners[target].do(act);
    if (!outcome) throw notThere(target);
    return outcome;
  }

  /** A batch: one statement that writes and commits, and one that reads the counts. */
  async #write(target: Target, acts: readonly Act[]): Promise<Outcome[]> {
    const things = acts.map(({ thingId }) => thingId);
    const parameters = [things, acts.map(({ userId }) => userId), acts.map(({ kind }) => kind)];
    const reacted = await retried(() => this.#dataSource.query<ReactedRow[]>(react(target), parameters));
    const counts = await this.#dataSource.query<CountsRow[]>(COUNTS_AFTER[target], [[...new Set(things)]]);
    const byThing = new Map(counts.map((row) => [row.id, row]));
    const byAct = new Map(reacted.map(({ n, changed }) => [n, changed]));
    return acts.map(({ thingId }, i) => {
      const [changed, after] = [byAct.get(i + 1), byThing.get(thingId)];
      return changed === undefined || !after ? null : { changed, counts: after };
    });
  }
}

const notThere = (target: Target): Problem =>
  new Problem('not-found', `There is no such ${target}, or it was deleted.`);
