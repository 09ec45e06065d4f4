import { hostname } from 'node:os';
import { knownModel, type KnownField, type OwnFields } from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { LiveService } from '../live-service.entity.js';

/** How often a service says that it lives. */
export const HEARTBEAT_MS = 4_000;
/** A service that was not seen for so long is gone. */
const GONE_AFTER = `interval '15 seconds'`;

/** A service that runs on the database now. */
export interface Live {
  readonly id: string;
  readonly host: string;
  readonly pid: number;
  readonly model: readonly KnownField[];
  readonly startedAt: Date;
}

/** The services that run on the database now. */
export function liveServices(database: DataSource | EntityManager): Promise<Live[]> {
  return database.query<Live[]>(
    `SELECT id, host, pid, model, started_at AS "startedAt" FROM live_services WHERE seen_at > clock_timestamp() - ${GONE_AFTER} ORDER BY started_at`,
  );
}

/** Says that this service lives, and by which model, until it is told to stop. */
export class Heartbeat {
  readonly id = uuidv7();
  readonly #dataSource: DataSource;
  readonly #model: readonly KnownField[];

  constructor(dataSource: DataSource, model: OwnFields) {
    this.#dataSource = dataSource;
    this.#model = knownModel(model);
  }

  async begin(): Promise<void> {
    await this.#dataSource.query(`DELETE FROM live_services WHERE seen_at < clock_timestamp() - interval '1 hour'`);
    await this.#dataSource.manager.insert(LiveService, {
      id: this.id,
      host: hostname(),
      pid: process.pid,
      model: [...this.#model],
    });
  }

  async beat(): Promise<void> {
    await this.#dataSource.query(`UPDATE live_services SET seen_at = clock_timestamp() WHERE id = $1`, [this.id]);
  }

  async end(): Promise<void> {
    await this.#dataSource.query(`DELETE FROM live_services WHERE id = $1`, [this.id]);
  }
}
