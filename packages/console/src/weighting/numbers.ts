import { sayDuration } from '@gather-lane/words';
import type { Weighting } from '@gather-lane/client';

/** The numbers that can be tried. */
export type Numbers = Pick<Weighting, 'halfLifeMs' | 'base' | 'weights'>;

const MINUTE = 60_000;
const SHORTEST = 15 * MINUTE;
const LONGEST = 30 * 24 * 60 * MINUTE;

/** Where a half-life stands on a slider from 0 to 100: each step multiplies, as people think of lengths of time. */
export const sliderOf = (ms: number): number =>
  (100 * Math.log(Math.min(LONGEST, Math.max(SHORTEST, ms)) / SHORTEST)) / Math.log(LONGEST / SHORTEST);

/** The half-life at a place of the slider, in round figures: minutes below 2 h, quarters of an hour below 6 h, then hours. */
export function halfLifeAt(slider: number): number {
  const ms = SHORTEST * (LONGEST / SHORTEST) ** (slider / 100);
  const step = ms < 2 * 60 * MINUTE ? 5 * MINUTE : ms < 6 * 60 * MINUTE ? 15 * MINUTE : 60 * MINUTE;
  return Math.round(ms / step) * step;
}

/** All numbers in one line. */
export const readNumbers = ({ halfLifeMs, base, weights }: Numbers): string =>
  [
    `half-life ${sayDuration(halfLifeMs)}`,
    `base ${base}`,
    ...Object.entries(weights).map(([kind, n]) => `${kind} ${n}`),
  ].join(', ');

/** Whether two sets of numbers are the same; a kind that is not named weighs nothing. */
export function isSame(a: Numbers, b: Numbers): boolean {
  const kinds = [...new Set([...Object.keys(a.weights), ...Object.keys(b.weights)])];
  const weighSame = kinds.every((kind) => (a.weights[kind] ?? 0) === (b.weights[kind] ?? 0));
  return a.halfLifeMs === b.halfLifeMs && a.base === b.base && weighSame;
}

/** `73 %` */
export const percent = (share: number): string => `${Math.round(share * 100)} %`;
