import { pull, type People, type Weighting } from '../feed/lane-time.js';

/** Posts of so many days draw; each half as much for every so many of their age. */
export const DRAW_DAYS = 7;
const HALVED_MS = 1.75 * 86_400_000;
const DRAW_MS = DRAW_DAYS * 86_400_000;

/** A tier of what authors drew lately: its name, and the draw at which it begins. */
export interface DrawTier {
  readonly name: string;
  readonly from: number;
}

/** What an author's posts drew lately. */
export interface Draw {
  /** In doublings, to two places. */
  readonly value: number;
  /** Name of the tier. */
  readonly tier: string;
}

/** A post as far as it draws: when it was made, in milliseconds since the epoch, and who acted on it. */
export interface DrawingPost {
  readonly createdAt: number;
  readonly people: People;
}

/**
 * What an author's posts drew in the last seven days: the law of lane time over all of them together, each weighed by its age.
 * `log2((base + Σ P·d) / (base + Σ N·d))` with d halved for every quarter of the seven days (forward decay: Cormode, Shkapenyuk,
 * Srivastava, Xu, ICDE 2009). Without engagement it is 0; one more is twice as much.
 * @param now milliseconds since the epoch
 */
export function drawOf(weighting: Weighting, posts: readonly DrawingPost[], now: number): number {
  let [carrying, holding] = [0, 0];
  for (const { createdAt, people } of posts) {
    const age = Math.max(0, now - createdAt);
    if (age >= DRAW_MS) continue;
    const decay = 2 ** (-age / HALVED_MS);
    const pulled = pull(weighting, people);
    carrying += decay * pulled.carrying;
    holding += decay * pulled.holding;
  }
  return Math.log2((weighting.base + carrying) / (weighting.base + holding));
}

/** The tier that a draw is in: the highest that has begun; the lowest where none has. */
export function tierOf(draw: number, tiers: readonly DrawTier[]): string {
  const rising = [...tiers].sort((a, b) => a.from - b.from);
  return (rising.findLast(({ from }) => from <= draw) ?? rising[0])?.name ?? '';
}

/** A draw as it is shown. */
export const toDraw = (draw: number, tiers: readonly DrawTier[]): Draw => ({
  value: Math.round(draw * 100) / 100,
  tier: tierOf(draw, tiers),
});
