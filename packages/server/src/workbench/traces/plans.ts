import { planFacts, type PlanFacts, type PlanNode } from '@gather-lane/core';
import type { DataSource, QueryRunner } from 'typeorm';
import { SIZES } from './queries.js';

/** For how long a plan is taken for what it was. */
const GOOD_MS = 60_000;
/** As many are asked for at once; the others with the next calls. */
const MOST_AT_ONCE = 25;
const MOST_KEPT = 2_000;
const READS = /^\s*(?:SELECT|WITH)\b/i;
const PLANNED = /^\s*(?:SELECT|WITH|INSERT|UPDATE|DELETE)\b/i;
/** What holds something beyond its transaction, and is not done again only to be looked at. */
const HOLDS = /advisory|pg_sleep|\bFOR\s+(?:NO\s+KEY\s+)?(?:UPDATE|SHARE|KEY\s+SHARE)\b/i;

/** What PostgreSQL says of how statements are planned; asked beside the calls, at most once a minute for each text. */
export class Plans {
  readonly #dataSource: DataSource;
  readonly #known = new Map<string, { readonly facts: PlanFacts | null; readonly at: number }>();

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /**
   * The plans of some statements.
   * @param sent what was sent along with each, by its text
   */
  async of(sent: ReadonlyMap<string, readonly unknown[]>): Promise<Map<string, PlanFacts>> {
    const now = Date.now();
    const unknown = [...sent].filter(([text]) => {
      const known = this.#known.get(text);
      return PLANNED.test(text) && (known === undefined || known.at < now - GOOD_MS);
    });
    if (unknown.length > 0) await this.#ask(unknown.slice(0, MOST_AT_ONCE));
    const found = new Map<string, PlanFacts>();
    for (const text of sent.keys()) {
      const facts = this.#known.get(text)?.facts;
      if (facts) found.set(text, facts);
    }
    return found;
  }

  async #ask(statements: readonly (readonly [string, readonly unknown[]])[]): Promise<void> {
    if (this.#known.size > MOST_KEPT) this.#known.clear();
    const runner = this.#dataSource.createQueryRunner();
    try {
      const rows = (await runner.query(SIZES)) as { name: string; rows: number }[];
      const sizes = Object.fromEntries(rows.map(({ name, rows: count }) => [name, count]));
      for (const [text, values] of statements) {
        const plan = await planOf(runner, text, values);
        this.#known.set(text, { facts: plan && planFacts(plan, sizes), at: Date.now() });
      }
    } finally {
      await runner.release();
    }
  }
}

/** A read is done again, in a transaction that can write nothing; of a write only the plan is asked for. */
async function planOf(runner: QueryRunner, text: string, values: readonly unknown[]): Promise<PlanNode | null> {
  const ways = READS.test(text) && !HOLDS.test(text) ? ['ANALYZE, TIMING OFF, ', ''] : [''];
  for (const way of ways) {
    await runner.startTransaction();
    try {
      await runner.query(`SET TRANSACTION READ ONLY`);
      await runner.query(`SET LOCAL statement_timeout = '500ms'`);
      const rows: unknown = await runner.query(`EXPLAIN (${way}FORMAT JSON) ${text}`, [...values]);
      return (rows as { 'QUERY PLAN': { Plan: PlanNode }[] }[])[0]!['QUERY PLAN'][0]!.Plan;
    } catch {
      // What writes, waits too long or names what is gone has no plan to show: the call itself is not concerned.
    } finally {
      await runner.rollbackTransaction().catch(() => undefined);
    }
  }
  return null;
}
