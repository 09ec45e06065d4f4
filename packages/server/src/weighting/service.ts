import type { DataSource } from 'typeorm';
import { toWeighting, WEIGHTING_COLUMNS, type WeightingColumns, type WeightingInForce } from './queries.js';

/** The weightings: so far, the one in force. */
export class Weightings {
  readonly #dataSource: DataSource;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /** Read each time, never cached: another process may adopt a new one. */
  async inForce(): Promise<WeightingInForce> {
    const [row] = await this.#dataSource.query<WeightingColumns[]>(
      `SELECT ${WEIGHTING_COLUMNS} FROM weightings w WHERE w.in_force`,
    );
    return toWeighting(row!);
  }
}
