/**
 * Lane time: recency and engagement in one number.
 *
 * The idea is exponential forward decay (Cormode, Shkapenyuk, Srivastava, Xu:
 * "Forward Decay: A Practical Time Decay Model for Streaming Systems", ICDE 2009)
 * applied to whole posts: engagement moves the instant at which a post stands, so
 * the order of two posts never changes merely because the clock goes on.
 */

/** The numbers behind lane time. Weights and base are whole thousandths. */
export interface Weighting {
  /** How much time a doubling of engagement is worth, in milliseconds. */
  readonly halfLifeMs: number;
  /** Damps the first few acts, in thousandths; always above 0. */
  readonly base: number;
  /** Thousandths for each kind of engagement; below 0 it holds a post back. */
  readonly weights: Readonly<Record<string, number>>;
}

/** A weighting that is in force or was, with the number that names it. */
export interface WeightingInForce extends Weighting {
  readonly id: number;
}

/** How many people other than the author acted, for each kind of engagement. */
export type People = Readonly<Record<string, number>>;

/** The kind of engagement that is no reaction: how many people commented. */
export const COMMENT_KIND = 'comment';

/** Counts of reactions by kind, the author's own among them. */
export type ReactionCounts = Readonly<Record<string, number>>;

/** What is counted about a post. */
export interface PostCounts {
  /** People other than the author who commented. */
  readonly commentPeople: number;
  readonly reactions: ReactionCounts;
  /** The kind by which the author reacted to their own post, or null. */
  readonly authorReaction: string | null;
}

/** The people who count for lane time: the author's own acts are left out. */
export function peopleOf({ commentPeople, reactions, authorReaction }: PostCounts): People {
  const people: Record<string, number> = { ...reactions, [COMMENT_KIND]: commentPeople };
  if (authorReaction !== null) people[authorReaction] = (people[authorReaction] ?? 0) - 1;
  return people;
}

/** The kinds for less the kinds against, where a page wants one number: a kind is for or against as its weight is. */
export function netOf(reactions: ReactionCounts, weights: Weighting['weights']): number {
  return Object.entries(reactions).reduce((sum, [kind, n]) => sum + Math.sign(weights[kind] ?? 0) * n, 0);
}

/** What one kind of engagement contributes. `weight` is in whole units, not thousandths. */
export interface LanePart {
  readonly kind: string;
  readonly people: number;
  readonly weight: number;
}

/** The two sums of the law, in thousandths: what carries a post and what holds it back. */
export function pull(weighting: Weighting, people: People): { carrying: number; holding: number } {
  let carrying = 0;
  let holding = 0;
  for (const [kind, weight] of Object.entries(weighting.weights)) {
    const weighed = weight * (people[kind] ?? 0);
    if (weighed > 0) carrying += weighed;
    else holding -= weighed;
  }
  return { carrying, holding };
}

/** By how many half-lives the engagement moves a post: log2((base + P) / (base + N)). */
export function lift(weighting: Weighting, people: People): number {
  const { carrying, holding } = pull(weighting, people);
  return Math.log2((weighting.base + carrying) / (weighting.base + holding));
}

/**
 * The instant at which a post stands in a score-ordered feed.
 * @param createdAt milliseconds since the epoch
 * @returns milliseconds since the epoch, rounded half up to whole ones (as the SQL law does)
 */
export function laneTime(createdAt: number, weighting: Weighting, people: People): number {
  return createdAt + Math.floor(weighting.halfLifeMs * lift(weighting, people) + 0.5);
}

/** Whether nobody has acted on a post: it stands where it was made, by whatever weighting. */
export const isUntouched = ({ commentPeople, reactions }: PostCounts): boolean =>
  commentPeople === 0 && Object.keys(reactions).length === 0;

/** The kinds of engagement that the weighting counts, with their people and whole-unit weights. */
export function laneParts(weighting: Weighting, people: People): LanePart[] {
  return Object.entries(weighting.weights)
    .filter(([, weight]) => weight !== 0)
    .map(([kind, weight]) => ({ kind, people: people[kind] ?? 0, weight: weight / 1000 }));
}

/** The weighting that a new service starts with. */
export const FIRST_WEIGHTING: Weighting = {
  halfLifeMs: 8 * 3_600_000,
  base: 4_000,
  weights: { comment: 3_000, like: 1_000, dislike: -1_000 },
};
