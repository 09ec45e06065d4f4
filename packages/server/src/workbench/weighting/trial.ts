import {
  comparePages,
  greatestLift,
  meanChange,
  placeAll,
  type Candidate,
  type PageChange,
  type Placed,
  type Weighting,
  type WeightingInForce,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { feedPage, type FeedPageRow } from '../../feed/index.js';
import { toCounts } from '../../ranking/tallies/counts.js';
import { CANDIDATES_BY_ID, CANDIDATES_BY_LAW, FEED_SIZE, SAMPLE_VIEWERS, type CandidateRow } from './trial-queries.js';
import { LAST_ID } from '../../ground/database/keyset.js';

/** How many posts a first page has. */
export const PAGE = 20;

/** A post with what people know it by. */
export type Told = Placed & { readonly handle: string; readonly text: string };

/** A viewer's feed under two weightings, as deep as was asked. */
export interface ViewerTrial {
  readonly now: Told[];
  readonly then: Told[];
  readonly change: PageChange;
}

/** What a weighting does to a sample of viewers. */
export interface SampleTrial {
  readonly viewers: number;
  readonly change: PageChange | null;
  /** Age and lift of each post on those pages, under either weighting. */
  readonly points: { readonly ageMs: number; readonly now: number; readonly then: number }[];
}

type Row = Candidate & { readonly handle: string; readonly text: string };

const toRow = (row: CandidateRow): Row => ({
  id: row.id,
  authorId: row.author_id,
  handle: row.handle,
  text: row.text,
  createdAt: row.created_at.getTime(),
  counts: toCounts(row),
});

const placeRows = (rows: readonly Row[], weighting: Weighting): Told[] => placeAll(rows, weighting) as Told[];

/** Tries a weighting on real rows without writing anything: what feeds are, and what they would be. */
export class Trials {
  readonly #dataSource: DataSource;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /** One viewer's feed now and then. @param depth how many posts of each are looked at */
  async ofViewer(viewerId: string, inForce: WeightingInForce, tried: Weighting, depth: number): Promise<ViewerTrial> {
    const [size] = await this.#dataSource.query<{ everybody: number; authors: number }[]>(FEED_SIZE, [viewerId, true]);
    const now = placeRows(await this.#page(viewerId, 'score', inForce, depth), inForce);
    const then = placeRows(await this.#highest(viewerId, inForce, tried, depth, size!.everybody), tried);
    const change = comparePages(now.slice(0, PAGE), then.slice(0, PAGE), size!.authors, Date.now());
    return { now, then, change };
  }

  /** First pages of some viewers, now and then. */
  async ofSample(viewers: number, inForce: WeightingInForce, tried: Weighting): Promise<SampleTrial> {
    const ids = await this.#dataSource.query<{ id: string }[]>(SAMPLE_VIEWERS, [viewers]);
    const at = Date.now();
    const changes: PageChange[] = [];
    const posts = new Map<string, Told>();
    for (const { id } of ids) {
      const { now, then, change } = await this.ofViewer(id, inForce, tried, PAGE);
      if (now.length > 0) changes.push(change);
      for (const post of [...now, ...then]) posts.set(post.id, post);
    }
    const [lifts, lifted] = [inForce, tried].map(
      (weighting) => new Map(placeAll([...posts.values()], weighting).map((post) => [post.id, post.lift])),
    );
    const points = [...posts.values()].map(({ id, createdAt }) => ({
      ageMs: at - createdAt,
      now: lifts!.get(id)!,
      then: lifted!.get(id)!,
    }));
    return { viewers: changes.length, change: meanChange(changes), points };
  }

  /** The top of a feed as it is served. */
  async #page(viewerId: string, order: 'recent' | 'score', inForce: WeightingInForce, depth: number): Promise<Row[]> {
    const parameters = [viewerId, true, 'infinity', LAST_ID, depth, null];
    const rows = await this.#dataSource.query<FeedPageRow[]>(feedPage(order, inForce.id), parameters);
    const ids = rows.map(({ id }) => id).filter((id) => id !== null);
    return (await this.#dataSource.query<CandidateRow[]>(CANDIDATES_BY_ID, [viewerId, ids])).map(toRow);
  }

  /**
   * The posts that would stand highest. The newest ones, placed by the tried numbers, say how high one has to stand; no post
   * is looked at that is too old to be carried there, so the whole history need not be read.
   */
  async #highest(
    viewerId: string,
    inForce: WeightingInForce,
    tried: Weighting,
    depth: number,
    everybody: number,
  ): Promise<Row[]> {
    const newest = placeRows(await this.#page(viewerId, 'recent', inForce, depth), tried);
    const lowest = newest.length < depth ? null : newest.at(-1)!.laneTime;
    const since = lowest === null ? null : lowest - tried.halfLifeMs * greatestLift(tried, everybody) - 1;
    const instant = (ms: number | null) => (ms === null ? '-infinity' : new Date(Math.floor(ms)).toISOString());
    const rows = await this.#dataSource.query<CandidateRow[]>(CANDIDATES_BY_LAW, [
      viewerId,
      true,
      tried.halfLifeMs,
      tried.base,
      JSON.stringify(tried.weights),
      instant(since),
      instant(lowest),
      depth,
    ]);
    return rows.map(toRow);
  }
}
