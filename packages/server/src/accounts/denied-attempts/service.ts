import type { DataSource } from 'typeorm';

/** Gathers an attempt with those of the same user on the same thing in the same hour. Cost: one upsert by key. */
const NOTE = `
  INSERT INTO refused_attempts (user_id, route, thing_id, hour, kind) VALUES ($1, $2, $3, date_trunc('hour', clock_timestamp()), $4)
  ON CONFLICT (user_id, route, thing_id, hour) DO UPDATE SET n = refused_attempts.n + 1, last_at = clock_timestamp()`;

/** Those of the ownership check are no attempts. */
const IN_EARNEST = `NOT EXISTS (SELECT FROM throw_away_users t WHERE t.user_id = r.user_id)`;

/** The latest attempts, by user and route. Cost: a pass over what is kept. */
const BY_USER_AND_ROUTE = `
  SELECT u.handle, r.route, r.kind, sum(r.n)::integer AS attempts, count(DISTINCT r.thing_id)::integer AS things, max(r.last_at) AS last_at
  FROM refused_attempts r JOIN users u ON u.id = r.user_id
  WHERE r.hour > clock_timestamp() - make_interval(hours => $1) AND ${IN_EARNEST}
  GROUP BY u.handle, r.route, r.kind ORDER BY max(r.last_at) DESC LIMIT 100`;

/** Attempts in each hour, the empty ones too. */
const BY_HOUR = `
  SELECT h AS hour, coalesce(sum(r.n), 0)::integer AS attempts
  FROM generate_series(date_trunc('hour', clock_timestamp()) - make_interval(hours => $1 - 1), clock_timestamp(), interval '1 hour') h
  LEFT JOIN refused_attempts r ON r.hour = h AND ${IN_EARNEST} GROUP BY h ORDER BY h`;

const FORGET = `DELETE FROM refused_attempts WHERE hour < clock_timestamp() - interval '90 days'`;

/** Attempts of one user on one route. */
export interface RefusedByRoute {
  readonly handle: string;
  readonly route: string;
  readonly kind: string;
  readonly attempts: number;
  readonly things: number;
  readonly last_at: Date;
}

/** What was tried on somebody else's things, for the operator. */
export class DeniedAttempts {
  readonly #dataSource: DataSource;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /** Keeps an attempt of a user on a thing of somebody else's. */
  async note(userId: string, route: string, kind: string, thingId: string): Promise<void> {
    await this.#dataSource.query(NOTE, [userId, route, thingId, kind]);
  }

  /** The attempts of the last hours, by user and route, and by hour. */
  async lately(hours: number): Promise<{ routes: RefusedByRoute[]; hours: { hour: Date; attempts: number }[] }> {
    return {
      routes: await this.#dataSource.query<RefusedByRoute[]>(BY_USER_AND_ROUTE, [hours]),
      hours: await this.#dataSource.query<{ hour: Date; attempts: number }[]>(BY_HOUR, [hours]),
    };
  }

  /** Forgets what is older than 90 days. */
  async forget(): Promise<void> {
    await this.#dataSource.query(FORGET);
  }
}
