import { laneTime, lift, peopleOf, type PostCounts, type Weighting } from './lane-time.js';

/** A post that may be in a feed, with all that its place depends on. */
export interface Candidate {
  readonly id: string;
  readonly authorId: string;
  /** Milliseconds since the epoch. */
  readonly createdAt: number;
  readonly counts: PostCounts;
}

/** A post at its place under one weighting. */
export interface Placed extends Candidate {
  readonly laneTime: number;
  /** In half-lives. */
  readonly lift: number;
}

/** Posts in the order of a feed by lane time, the first on top: by lane time, then by id, both descending. */
export function placeAll(posts: readonly Candidate[], weighting: Weighting): Placed[] {
  return posts
    .map((post) => {
      const people = peopleOf(post.counts);
      return { ...post, laneTime: laneTime(post.createdAt, weighting, people), lift: lift(weighting, people) };
    })
    .sort((a, b) => b.laneTime - a.laneTime || (a.id < b.id ? 1 : -1));
}

/**
 * How far up engagement could carry any post, in half-lives: as though everybody had acted in every way that lifts. Posts
 * made longer before a place than that cannot reach it, so no older ones need to be looked at.
 */
export function greatestLift({ base, weights }: Weighting, everybody: number): number {
  const lifting = Object.values(weights).filter((weight) => weight > 0);
  return Math.log2((base + lifting.reduce((sum, weight) => sum + weight, 0) * everybody) / base);
}

/** Ranks of ids in a list from 1 on; those that are not in it share the mean of the places after its end. */
function ranksIn(list: readonly string[], all: readonly string[]): number[] {
  const places = new Map(list.map((id, i) => [id, i + 1]));
  const absent = all.length - all.filter((id) => places.has(id)).length;
  const after = list.length + (absent + 1) / 2;
  return all.map((id) => places.get(id) ?? after);
}

/**
 * Spearman's rank correlation of two lists, over all that is in either: 1 for the same order, −1 for the opposite. With ties
 * it is Pearson's correlation of the mean ranks (Kendall and Gibbons, "Rank Correlation Methods", 1990, chapter 3).
 */
export function rankCorrelation(a: readonly string[], b: readonly string[]): number {
  const all = [...new Set([...a, ...b])];
  const [ra, rb] = [ranksIn(a, all), ranksIn(b, all)];
  const mean = (values: number[]) => values.reduce((sum, value) => sum + value, 0) / values.length;
  const [ma, mb] = [mean(ra), mean(rb)];
  const sum = (term: (i: number) => number) => all.reduce((total, _, i) => total + term(i), 0);
  const variance = Math.sqrt(sum((i) => (ra[i]! - ma) ** 2) * sum((i) => (rb[i]! - mb) ** 2));
  // Nothing varies where there is at most one post: the order is the same.
  return all.length < 2 || variance === 0 ? 1 : sum((i) => (ra[i]! - ma) * (rb[i]! - mb)) / variance;
}

/** What one weighting makes of a first page. */
export interface PageFigures {
  /** Median age of its posts, in milliseconds; null for an empty page. */
  readonly medianAgeMs: number | null;
  /** Which share of the authors of the feed are on it. */
  readonly authorsSeen: number;
}

/** How a first page changes from one weighting to another. */
export interface PageChange {
  readonly correlation: number;
  /** Which share of the page of now is still on that of then. */
  readonly kept: number;
  readonly now: PageFigures;
  readonly then: PageFigures;
}

const median = (values: readonly number[]): number | null => {
  if (values.length === 0) return null;
  const sorted = [...values].sort((a, b) => a - b);
  const middle = (sorted.length - 1) / 2;
  return (sorted[Math.floor(middle)]! + sorted[Math.ceil(middle)]!) / 2;
};

/** Compares two first pages of one viewer. @param authors how many authors the feed has @param at the instant that ages count to */
export function comparePages(now: readonly Placed[], then: readonly Placed[], authors: number, at: number): PageChange {
  const figures = (page: readonly Placed[]): PageFigures => ({
    medianAgeMs: median(page.map(({ createdAt }) => at - createdAt)),
    authorsSeen: authors === 0 ? 0 : new Set(page.map(({ authorId }) => authorId)).size / authors,
  });
  const ids = (page: readonly Placed[]) => page.map(({ id }) => id);
  const kept = now.filter(({ id }) => then.some((other) => other.id === id)).length;
  return {
    correlation: rankCorrelation(ids(now), ids(then)),
    kept: now.length === 0 ? 1 : kept / now.length,
    now: figures(now),
    then: figures(then),
  };
}

/** The mean of what several viewers see. @returns null of nobody */
export function meanChange(changes: readonly PageChange[]): PageChange | null {
  if (changes.length === 0) return null;
  const mean = (of: (change: PageChange) => number | null): number | null => {
    const values = changes.map(of).filter((value) => value !== null);
    return values.length === 0 ? null : values.reduce((sum, value) => sum + value, 0) / values.length;
  };
  const figures = (side: 'now' | 'then'): PageFigures => ({
    medianAgeMs: mean((change) => change[side].medianAgeMs),
    authorsSeen: mean((change) => change[side].authorsSeen)!,
  });
  return {
    correlation: mean(({ correlation }) => correlation)!,
    kept: mean(({ kept }) => kept)!,
    now: figures('now'),
    then: figures('then'),
  };
}
