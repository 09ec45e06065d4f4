import {
  isUntouched,
  laneTime,
  peopleOf,
  type Caller,
  type FeedCursor,
  type NewerStep,
  type OwnFields,
  type Position,
  type WeightingInForce,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { InstantText } from '../ground/database/instants.js';
import { FIRST_ID, LAST_ID } from '../ground/database/keyset.js';
import { rowsOf, type Outcome } from '../ground/database/together.js';
import { sqlState } from '../ground/database/transaction.js';
import type { Cursors } from '../ground/http/cursors.js';
import type { SignedIn } from '../ground/http/principal.js';
import { Problem } from '../ground/http/problem.js';
import type { Reader } from '../ground/http/reader.js';
import type { Posts } from '../posts/posts/service.js';
import { NO_STANDBYS, type Standbys } from '../ground/standbys/standbys.js';
import { toCounts } from '../ranking/tallies/counts.js';
import { numbersOf } from '../ranking/weighting/in-force.js';
import { parametersOf, type FeedOrder, type PageStep } from './finding.js';
import { factsOf, feedPage, type FeedPageRow, type PageStatement } from './page-queries.js';
import { explain } from './place.js';
import { feedNewer, sieveParameters, type NewerRow } from './newer-queries.js';
import { FORGET_DROPS } from './queries.js';
import type { FeedItem, NewerView } from './schema.js';
import { readSieve, Sieves } from './sieves.js';
import { Ways } from './ways.js';

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
  /** How far into the log the viewer has seen; null where they do not say. */
  readonly seen?: string | null;
}

/** A page of a feed. */
export interface FeedPage {
  readonly items: FeedItem[];
  readonly next: string | null;
  readonly first: string;
}

/** A page, and how far into the log what it shows reaches. */
export interface ReadPage extends FeedPage {
  readonly seen: string;
}

/** The following feed. One function answers it everywhere, so that no two lists can differ by query. */
export class Feed {
  /** How pages were found, for the next ones. */
  readonly ways: Ways;
  readonly #dataSource: DataSource;
  readonly #posts: Posts;
  readonly #cursors: Cursors;
  readonly #page: PageStatement;
  readonly #standbys: Standbys;
  /** The weighting that was in force at the last look; the session check says each time whether it still is. */
  #inForce = 0;

  /** @param standbys where pages may be read, beside the primary */
  constructor(
    dataSource: DataSource,
    posts: Posts,
    cursors: Cursors,
    model: OwnFields,
    {
      ways = new Ways(new Sieves(readSieve(dataSource))),
      standbys = NO_STANDBYS,
    }: { ways?: Ways; standbys?: Standbys } = {},
  ) {
    this.ways = ways;
    this.#dataSource = dataSource;
    this.#posts = posts;
    this.#cursors = cursors;
    this.#page = feedPage(model);
    this.#standbys = standbys;
  }

  /**
   * A page of the viewer's following feed, in one statement: found the way that found the last one, and by another where that did
   * not fill it. A page on which something fell past the cursor is read again without it, and so is the first page by score that
   * a process reads after another weighting came into force.
   * @throws Problem `bad-cursor`, or `scroll-expired` for a scroll that began more than a day ago; `bad-token`
   */
  async page(reader: Reader, request: FeedRequest): Promise<ReadPage> {
    const { order, own, limit, place, after } = request;
    const from = after === undefined ? null : await this.#open(after, 'next', reader);
    if (from && (from.order !== order || from.own !== own)) {
      await reader.confirm();
      throw new Problem(
        'bad-cursor',
        `This cursor belongs to order=${from.order}, own=${from.own}: ask with the same, or leave it out to begin again.`,
      );
    }
    const { viewer, rows, keyed } = await this.#rows(reader, request, from);
    const weighting = from?.weighting ?? viewer.weighting.id;
    const { snapshot, now, seen } = factsOf(rows);
    const begun = from?.begun ?? Date.parse(now);
    const scroll = { order, own, weighting, snapshot, begun, ...(this.#standbys.some && { seen }) };
    const found = rows.filter((row): row is FoundRow => row.found !== null);
    const shown = found.slice(0, limit);
    const [top, last] = [shown[0], shown.at(-1)];
    // A scroll that began before another weighting was adopted goes on by its own: what it says of places, too.
    const numbers =
      place && weighting !== viewer.weighting.id ? await numbersOf(this.#dataSource, weighting) : viewer.weighting;
    const more = found.length > limit && last;
    const write = await this.#cursors.feedWriter();
    return {
      items: shown.filter(isSeen).map((row) => this.#toItem(row, viewer, { keyed, numbers: place ? numbers : null })),
      next: more ? write({ mark: 'next', ...scroll, position: positionOf(last) }) : null,
      first: write({ mark: 'first', ...scroll, position: top ? positionOf(top) : null }),
      seen,
    };
  }

  /** What has come above where a scroll began. @throws Problem `bad-cursor`, `scroll-expired`, `bad-token` */
  async newer(reader: Reader, than: string, seen: string | null = null): Promise<NewerView> {
    const from = await this.#open(than, 'first', reader);
    const beside = this.#standbys.at(seen, from.seen);
    const at = from.position ? new Date(from.position.at).toISOString() : '-infinity';
    let viewer: SignedIn | undefined;
    const count = async (step: NewerStep): Promise<NewerRow> => {
      const asked = await reader.ask<NewerRow>(
        feedNewer(step.way, from.order, tableOf(from.order, from.weighting)),
        (session) => [
          reader.userId,
          from.own,
          at,
          from.position?.id ?? FIRST_ID,
          new Date(from.begun).toISOString(),
          ...session,
          ...sieveParameters(step),
        ],
        beside,
      );
      viewer = asked.viewer;
      return standing(asked.outcome, from, viewer.weighting)[0]!;
    };
    const row = await this.ways.countNewer({ userId: reader.userId, order: from.order }, count);
    const made = Math.min(row.new, MOST_NEWER);
    return {
      new: made,
      risen: Math.min(row.risen, MOST_NEWER - made),
      more: row.new + row.risen > MOST_NEWER,
      reordered: from.weighting !== viewer!.weighting.id,
    };
  }

  async #rows(
    reader: Reader,
    { order, own, limit, place, seen = null }: FeedRequest,
    from: FeedCursor | null,
  ): Promise<{ viewer: SignedIn; rows: FeedPageRow[]; keyed: boolean }> {
    const { userId } = reader;
    const beside = this.#standbys.at(seen, from?.seen);
    const parameters = [
      userId,
      own,
      from?.position ? new Date(from.position.at).toISOString() : 'infinity',
      from?.position?.id ?? LAST_ID,
      limit + 1,
      from?.snapshot ?? null,
    ];
    let [viewer, keyed]: [SignedIn | undefined, boolean] = [undefined, false];
    const read = async (step: PageStep): Promise<FeedPageRow[]> => {
      const inForce = (this.#inForce ||= (await reader.confirm()).weighting.id);
      const weighting = from?.weighting ?? inForce;
      keyed = order === 'score' && weighting === inForce;
      const sql = this.#page(step.way, order, tableOf(order, weighting), place);
      const asked = await reader.ask<FeedPageRow>(
        sql,
        (session) => [...parameters, ...session, ...parametersOf(step)],
        beside,
      );
      viewer = asked.viewer;
      this.#inForce = viewer.weighting.id;
      // What was asked of another weighting than is in force is asked again.
      if (order === 'score' && this.#inForce !== inForce && !isExpired(from, viewer.weighting)) return read(step);
      return standing(asked.outcome, from, viewer.weighting);
    };
    let rows = await this.ways.find({ userId, order, from: from?.position?.at ?? null, entries: limit + 1 }, read);
    if (rows.some(({ fell }) => fell)) rows = await read({ way: 'past falls' });
    return { viewer: viewer!, rows, keyed };
  }

  /**
   * @param keyed whether the key is the lane time
   * @param numbers by which a place is explained; null where none is asked for
   */
  #toItem(
    row: SeenRow,
    viewer: SignedIn,
    { keyed, numbers }: { keyed: boolean; numbers: WeightingInForce | null },
  ): FeedItem {
    const caller: Caller = { kind: 'user', id: viewer.userId, moderator: viewer.moderator };
    const { weighting } = viewer;
    const view = (stands: InstantText) => this.#posts.toView(row, caller, weighting.weights, stands);
    if (!numbers) return view(keyed ? row.key : reckoned(row, weighting));
    const since = row.since === null ? null : new Date(row.since);
    const place = explain(new Date(row.created_at), row.author_handle, since, peopleOf(toCounts(row)), numbers);
    return { ...view(place.laneTime), place };
  }

  /** Forgets drops that no scroll can meet any more. */
  async forgetDrops(): Promise<void> {
    await this.#dataSource.query(FORGET_DROPS);
  }

  /** What is wrong with a cursor is told to whose session is alive. */
  async #open(text: string, mark: FeedCursor['mark'], reader: Reader): Promise<FeedCursor> {
    const cursor = await this.#cursors.readFeed(text);
    if (cursor?.mark === mark && Date.now() - cursor.begun <= SCROLL_MS) return cursor;
    await reader.confirm();
    if (!cursor)
      throw new Problem(
        'bad-cursor',
        'This is not a cursor of ours, or it was changed on the way: pass it exactly as it came.',
      );
    if (cursor.mark !== mark)
      throw new Problem('bad-cursor', `This is the \`${cursor.mark}\` of a feed page; here its \`${mark}\` is needed.`);
    // The clock of the service against the database's: near enough for a day.
    throw new Problem('scroll-expired', 'This scroll began more than a day ago: begin again without a cursor.');
  }
}

/** A row of a post that was found, and one of a post that may be seen. */
type FoundRow = FeedPageRow & { readonly found: string };
type SeenRow = FoundRow & { readonly id: string };
const isSeen = (row: FoundRow): row is SeenRow => row.id !== null;

const positionOf = ({ key, found }: FoundRow): Position => ({ at: Date.parse(key), id: found });

/** Where a post stands, by what is counted of it. */
function reckoned(row: SeenRow, weighting: WeightingInForce): InstantText {
  const counts = toCounts(row);
  // Most are, and twenty are asked for each page.
  if (isUntouched(counts)) return row.created_at;
  return new Date(laneTime(Date.parse(row.created_at), weighting, peopleOf(counts))).toISOString();
}

/** By recency nothing is read of a weighting's own table: one statement serves all of them. */
const tableOf = (order: FeedOrder, weighting: number): number => (order === 'score' ? weighting : 1);

/** A cursor of a weighting that is yet to come is of another database. */
const isExpired = (from: FeedCursor | null, inForce: WeightingInForce): boolean =>
  from !== null && from.weighting > inForce.id;

/** What was read of standings, which are gone a day after their weighting was in force. @throws Problem `scroll-expired` */
function standing<T>(outcome: Outcome<T>, from: FeedCursor | null, inForce: WeightingInForce): T[] {
  if (isExpired(from, inForce) || ('error' in outcome && sqlState(outcome.error) === NO_SUCH_TABLE))
    throw new Problem('scroll-expired', 'The weighting of this scroll is gone: begin again without a cursor.');
  return rowsOf(outcome);
}
