import type { Weighting } from '@gather-lane/core';

/** A weighting with its version. */
export interface WeightingInForce extends Weighting {
  readonly id: number;
}

/** Columns of the weighting in force, for a statement that joins `weightings w ON w.in_force`. */
export const WEIGHTING_COLUMNS = `w.id AS weighting_id, w.half_life_ms, w.base, w.weights`;

/** A row that holds those columns. */
export interface WeightingColumns {
  readonly weighting_id: number;
  readonly half_life_ms: string;
  readonly base: number;
  readonly weights: Record<string, number>;
}

/** The weighting that a row holds. */
export function toWeighting(row: WeightingColumns): WeightingInForce {
  return { id: row.weighting_id, halfLifeMs: Number(row.half_life_ms), base: row.base, weights: row.weights };
}

/** Name of the table that holds the standings of a weighting. */
export function standingsTable(weighting: number): string {
  if (!Number.isSafeInteger(weighting) || weighting < 1) throw new RangeError(`no weighting ${weighting}`);
  return `standings_${weighting}`;
}
