import type { OwnFields } from '@gather-lane/core';
import pLimit from 'p-limit';
import type { DataSource } from 'typeorm';
import { underLock } from '../../ground/database/under-lock.js';
import { Problem } from '../../ground/http/problem.js';
import type { ProblemCode } from '../../ground/http/problem-catalogue.js';
import { PASS_HEADER } from '../../ground/http/own-check.js';
import type { OperatorKey } from '../../accounts/operator/key.js';
import type { Sessions } from '../../accounts/sessions/service.js';
import { Cast } from './cast.js';
import type { HousePlan } from '../../ground/capability/house-plan.js';
import { tryRoute, type Call, type Operation, type TriedRoute } from './try-route.js';

/** Throw-away users of so long ago are of a check that was interrupted. */
const LEFT_OVER_MS = 600_000;
const ROUTES_AT_ONCE = 4;
/** A route that does not answer for so long is taken for one that never will. */
const ANSWERED_WITHIN_MS = 60_000;
const UNREACHED: ProblemCode = 'no-database';
/** Held by the one check that is under way. */
const CHECKING = `hashtext('gather-lane ownership check')`;

const LAST = `SELECT started_at AS "startedAt", ended_at AS "endedAt", calls, faults, routes FROM ownership_checks`;
const KEEP = `
  INSERT INTO ownership_checks (started_at, ended_at, calls, faults, routes) VALUES ($1, $2, $3, $4, $5)
  ON CONFLICT (latest) DO UPDATE SET started_at = excluded.started_at, ended_at = excluded.ended_at, calls = excluded.calls,
    faults = excluded.faults, routes = excluded.routes`;

/** What an ownership check found. */
export interface OwnershipResult {
  readonly startedAt: Date;
  readonly endedAt: Date;
  readonly routes: TriedRoute[];
  /** How many calls were made. */
  readonly calls: number;
  readonly faults: number;
}

/** Tries every route as everybody, on throw-away users, against the running service. */
export class OwnershipCheck {
  readonly #dataSource: DataSource;
  readonly #plan: HousePlan;
  readonly #cast: Cast;
  readonly #key: OperatorKey;
  readonly #pass: string;

  /** @param pass what the calls carry so that no limit counts them */
  constructor(
    dataSource: DataSource,
    {
      sessions,
      key,
      plan,
      model,
    }: { readonly sessions: Sessions; readonly key: OperatorKey; readonly plan: HousePlan; readonly model: OwnFields },
    pass: string,
  ) {
    this.#dataSource = dataSource;
    this.#plan = plan;
    this.#cast = new Cast(dataSource, sessions, model, plan.things);
    this.#key = key;
    this.#pass = pass;
  }

  /** What the latest check found, at whichever process it was. */
  async last(): Promise<OwnershipResult | null> {
    const [row] = await this.#dataSource.query<OwnershipResult[]>(LAST);
    return row ?? null;
  }

  /**
   * Runs the check. Whatever happens, the throw-away users are removed; should the process be killed, then by the next
   * one.
   * @param address where the service listens
   * @throws Problem `under-way` while another runs
   */
  async run(address: string, operations: readonly Operation[]): Promise<OwnershipResult> {
    const check = async () => {
      try {
        const result = await this.#run(address, operations);
        const { startedAt, endedAt, calls, faults, routes } = result;
        await this.#dataSource.query(KEEP, [startedAt, endedAt, calls, faults, JSON.stringify(routes)]);
        return result;
      } finally {
        await this.#cast.remove(new Date(Date.now() + LEFT_OVER_MS));
      }
    };
    return underLock(this.#dataSource, CHECKING, check, () => {
      throw new Problem('under-way', 'An ownership check is under way: wait for it to end.');
    });
  }

  /** Removes what a check left behind that was killed. */
  async removeLeftOver(): Promise<void> {
    await this.#cast.remove(new Date(Date.now() - LEFT_OVER_MS));
  }

  async #run(address: string, operations: readonly Operation[]): Promise<OwnershipResult> {
    const startedAt = new Date();
    const { call, count } = this.#caller(address);
    const atOnce = pLimit(ROUTES_AT_ONCE);
    const routes = await Promise.all(
      operations.map((operation) =>
        atOnce(() => tryRoute(operation, this.#plan.trials[operation.operationId], this.#cast, call)),
      ),
    );
    const faults = routes.reduce(
      (sum, route) => sum + route.faults.length + route.cells.filter(({ fault }) => fault).length,
      0,
    );
    return { startedAt, endedAt: new Date(), routes, calls: count(), faults };
  }

  #caller(address: string): { call: Call; count: () => number } {
    let calls = 0;
    const once: Call = async ({ role, token }, { method, path, body, headers }) => {
      calls++;
      const bearer = role === 'operator' ? this.#key.bearer : token;
      const reply = await fetch(address + path, {
        method,
        headers: {
          [PASS_HEADER]: this.#pass,
          ...(bearer !== null && { authorization: `Bearer ${bearer}` }),
          ...(body !== undefined && { 'content-type': 'application/json' }),
          ...headers,
        },
        ...(body !== undefined && { body: JSON.stringify(body) }),
        signal: AbortSignal.timeout(ANSWERED_WITHIN_MS),
      });
      const isProblem = reply.headers.get('content-type')?.startsWith('application/problem+json') ?? false;
      const problem = isProblem ? ((await reply.json()) as { type: string }).type.split('/').at(-1)! : null;
      if (!isProblem) await reply.arrayBuffer();
      return { status: reply.status, problem };
    };
    // What was not done says nothing of who may do it: a database that is out of reach for a moment is asked again.
    const call: Call = async (as, request) => {
      const reply = await once(as, request);
      return reply.problem === UNREACHED ? once(as, request) : reply;
    };
    return { call, count: () => calls };
  }
}
