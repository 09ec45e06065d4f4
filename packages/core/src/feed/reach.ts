import { greatestLift } from './comparison.js';
import type { Weighting } from './lane-time.js';

/** How far above where they stand other numbers can place posts. */
export interface Reach {
  /** Milliseconds above the lane time in force; where `orMade`, above the later of that and of when the post was made. */
  readonly ms: number;
  readonly orMade: boolean;
}

/** Both laws round to whole milliseconds. */
const ROUNDING_MS = 2;

/**
 * How far above where it stands by the numbers in force (half-life h, lift l) the tried ones (h′, l′) can place any post, so that those
 * which stand lower need not be looked at. No kind's part of either sum grows by more than its weight does, so that l′ − l is at most
 * log2(r) for one r; then made + h′·l′ ≤ made + h′·l + h′·log2(r), of which made + h′·l is at most the later of made and made + h·l where
 * h′ ≤ h, and made + h·l + (h′ − h)·l with the greatest lift in force otherwise.
 * @param everybody how many users there are: no post has more people
 * @returns null where no such bound exists: a kind carries posts, or ceases to hold them back, that the numbers in force do not count
 */
export function reachOf(inForce: Weighting, tried: Weighting, everybody: number): Reach | null {
  const kinds = [...new Set([...Object.keys(inForce.weights), ...Object.keys(tried.weights)])];
  const growth = (from: Weighting, to: Weighting, sign: 1 | -1): number =>
    kinds.reduce((most, kind) => {
      const [before, after] = [from, to].map(({ weights }) => Math.max(0, sign * (weights[kind] ?? 0)));
      return after === 0 ? most : Math.max(most, after! / before!);
    }, to.base / from.base);
  const ratio = growth(inForce, tried, 1) * growth(tried, inForce, -1);
  if (ratio === Infinity) return null;
  const longer = Math.max(0, tried.halfLifeMs - inForce.halfLifeMs) * greatestLift(inForce, everybody);
  return {
    ms: tried.halfLifeMs * Math.log2(ratio) + longer + ROUNDING_MS,
    orMade: tried.halfLifeMs < inForce.halfLifeMs,
  };
}
