import type { WeightingInForce } from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';

/** Columns of the weighting in force, for a statement that joins `weightings w ON w.in_force`. */
export const WEIGHTING_COLUMNS = `w.id AS weighting_id, w.half_life_ms, w.base, w.weights`;

/** A row that holds those columns. */
export interface WeightingColumns {
  readonly weighting_id: number;
  /** A number where it came as JSON. */
  readonly half_life_ms: string | number;
  readonly base: number;
  readonly weights: Record<string, number>;
}

/** The weighting that a row holds. */
export function toWeighting(row: WeightingColumns): WeightingInForce {
  return { id: row.weighting_id, halfLifeMs: Number(row.half_life_ms), base: row.base, weights: row.weights };
}

/** The weighting in force. Read each time, never cached: another process may adopt a new one. Cost: one probe. */
export async function weightingInForce(dataSource: DataSource): Promise<WeightingInForce> {
  const sql = `SELECT ${WEIGHTING_COLUMNS} FROM weightings w WHERE w.in_force`;
  const [row] = await dataSource.query<WeightingColumns[]>(sql);
  return toWeighting(row!);
}

/** The numbers of a version never change, and there are few of them. */
const KNOWN = new WeakMap<DataSource, Map<number, WeightingInForce>>();

/** The numbers of a version that is or was in force, asked for once. Cost: one primary-key probe, or none. */
export async function numbersOf(dataSource: DataSource, id: number): Promise<WeightingInForce> {
  const known = KNOWN.get(dataSource) ?? new Map<number, WeightingInForce>();
  KNOWN.set(dataSource, known);
  const kept = known.get(id);
  if (kept) return kept;
  const sql = `SELECT ${WEIGHTING_COLUMNS} FROM weightings w WHERE w.id = $1`;
  const [row] = await dataSource.query<WeightingColumns[]>(sql, [id]);
  const found = toWeighting(row!);
  known.set(id, found);
  return found;
}

/** Names of the tables of standings that there are. Cost: one pass over the catalogue. */
export async function liveStandings(manager: EntityManager): Promise<string[]> {
  const rows = await manager.query<{ name: string }[]>(
    `SELECT relname AS name FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind = 'r' AND relname ~ '^standings_[0-9]+$' ORDER BY relname`,
  );
  return rows.map(({ name }) => name);
}
