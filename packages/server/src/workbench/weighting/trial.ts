import {
  comparePages,
  greatestLift,
  meanChange,
  placeAll,
  reachOf,
  type Candidate,
  type PageChange,
  type Placed,
  type Weighting,
  type WeightingInForce,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { feedTop, type FeedTopRow } from '../../feed/index.js';
import { toCounts } from '../../ranking/tallies/counts.js';
import {
  CANDIDATES_BY_ID,
  candidatesByLaw,
  EVERYBODY,
  FEED_SIZE,
  SAMPLE_VIEWERS,
  type CandidateRow,
  type Looked,
} from './trial-queries.js';
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

/** What is tried: how many posts are looked at, and how many people there are to act on one. */
interface Trial {
  readonly inForce: WeightingInForce;
  readonly tried: Weighting;
  readonly depth: number;
  readonly everybody: number;
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
    return this.#ofViewer(viewerId, { inForce, tried, depth, everybody: await this.#everybody() });
  }

  /** First pages of some viewers, now and then. */
  async ofSample(viewers: number, inForce: WeightingInForce, tried: Weighting): Promise<SampleTrial> {
    const ids = await this.#dataSource.query<{ id: string }[]>(SAMPLE_VIEWERS, [viewers]);
    const trial = { inForce, tried, depth: PAGE, everybody: await this.#everybody() };
    const at = Date.now();
    const changes: PageChange[] = [];
    const posts = new Map<string, Told>();
    for (const { id } of ids) {
      const { now, then, change } = await this.#ofViewer(id, trial);
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

  async #everybody(): Promise<number> {
    return (await this.#dataSource.query<[{ everybody: number }]>(EVERYBODY))[0].everybody;
  }

  async #ofViewer(viewerId: string, trial: Trial): Promise<ViewerTrial> {
    const { inForce, tried, depth } = trial;
    const [{ authors }] = await this.#dataSource.query<[{ authors: number }]>(FEED_SIZE, [viewerId, true]);
    const top = await this.#page(viewerId, 'score', inForce, depth);
    const now = placeRows(top, inForce);
    const then = placeRows(await this.#highest(viewerId, trial, top), tried);
    const change = comparePages(now.slice(0, PAGE), then.slice(0, PAGE), authors, Date.now());
    return { now, then, change };
  }

  /** The top of a feed as it is served. */
  async #page(viewerId: string, order: 'recent' | 'score', inForce: WeightingInForce, depth: number): Promise<Row[]> {
    const parameters = [viewerId, true, 'infinity', LAST_ID, depth];
    const rows = await this.#dataSource.query<FeedTopRow[]>(feedTop(order, inForce.id), parameters);
    const ids = rows.map(({ id }) => id);
    return (await this.#dataSource.query<CandidateRow[]>(CANDIDATES_BY_ID, [viewerId, ids])).map(toRow);
  }

  /**
   * The posts that would stand highest. The newest ones and those at the top now, placed by the tried numbers, say how high one has to
   * stand; no post is looked at that is too old, or stands too low in force, to be placed there, so the whole history need not be read.
   */
  async #highest(viewerId: string, trial: Trial, top: readonly Row[]): Promise<Row[]> {
    const { inForce, tried, depth } = trial;
    const newest = await this.#page(viewerId, 'recent', inForce, depth);
    const known = new Map([...top, ...newest].map((row) => [row.id, row]));
    const lowest = placeRows([...known.values()], tried)[depth - 1]?.laneTime ?? null;
    const { by, from } = lookedAt(trial, lowest);
    const instant = (ms: number | null) => (ms === null ? '-infinity' : new Date(Math.floor(ms)).toISOString());
    const rows = await this.#dataSource.query<CandidateRow[]>(candidatesByLaw(by, inForce.id), [
      viewerId,
      true,
      tried.halfLifeMs,
      tried.base,
      JSON.stringify(tried.weights),
      instant(from),
      instant(lowest),
      depth,
    ]);
    return rows.map(toRow);
  }
}

/** Which posts may stand at `lowest` or above by the tried numbers; null for a feed that is shorter than was asked. */
function lookedAt({ inForce, tried, everybody }: Trial, lowest: number | null): { by: Looked; from: number | null } {
  if (lowest === null) return { by: 'made', from: null };
  const reach = reachOf(inForce, tried, everybody);
  if (reach) return { by: reach.orMade ? 'either' : 'stands', from: lowest - reach.ms };
  return { by: 'made', from: lowest - tried.halfLifeMs * greatestLift(tried, everybody) - 1 };
}
