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
const HOLDS = /advisory|\bhold_|\btell\(|pg_sleep|\bFOR\s+(?:NO\s+KEY\s+)?(?:UPDATE|SHARE|KEY\s+SHARE)\b/i;

/** What PostgreSQL says of how statements are planned; asked beside the calls, at most once a minute for each text. */
export class Plans {
  /** What is known so far, by the texts of statements. */
  readonly known = new Map<string, PlanFacts>();
  readonly #dataSource: DataSource;
  readonly #askedAt = new Map<string, number>();
  readonly #wanted = new Map<string, readonly unknown[]>();
  #asking: Promise<void> | null = null;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /** Whether the plan of a statement is not known, or was not asked for lately. */
  wants(text: string): boolean {
    return (this.#askedAt.get(text) ?? 0) <= Date.now() - GOOD_MS && PLANNED.test(text);
  }

  /** Has plans asked for that are wanted. @param sent what was sent along with each, the first time that counts */
  want(sent: readonly (readonly [text: string, values: readonly unknown[]])[]): void {
    for (const [text, values] of sent) {
      if (!this.wants(text)) continue;
      if (this.#askedAt.size > MOST_KEPT) this.#forget();
      this.#askedAt.set(text, Date.now());
      this.#wanted.set(text, values);
    }
    if (this.#wanted.size > 0) this.#asking ??= this.#askAll();
  }

  /** What is wanted by now is known. */
  async settled(): Promise<void> {
    await this.#asking;
  }

  async #askAll(): Promise<void> {
    try {
      while (this.#wanted.size > 0) {
        const some = [...this.#wanted].slice(0, MOST_AT_ONCE);
        for (const [text] of some) this.#wanted.delete(text);
        await this.#ask(some);
      }
    } catch {
      // The database is away: calls fail by it themselves, and what is not known is asked for with a later one.
      this.#forget();
    } finally {
      this.#asking = null;
    }
  }

  #forget(): void {
    this.#askedAt.clear();
    this.#wanted.clear();
    this.known.clear();
  }

  async #ask(statements: readonly (readonly [string, readonly unknown[]])[]): Promise<void> {
    const runner = this.#dataSource.createQueryRunner();
    try {
      const rows = (await runner.query(SIZES)) as { name: string; rows: number }[];
      const sizes = Object.fromEntries(rows.map(({ name, rows: count }) => [name, count]));
      for (const [text, values] of statements) {
        const plan = await planOf(runner, text, values);
        if (plan) this.known.set(text, planFacts(plan, sizes));
      }
    } finally {
      await runner.release();
    }
  }
}

/** A read is done again, in a transaction that can write nothing; of a write only the plan is asked for. */
async function planOf(runner: QueryRunner, text: string, values: readonly unknown[]): Promise<PlanNode | null> {
  const ways = READS.test(text) && /\bFROM\b/i.test(text) && !HOLDS.test(text) ? ['ANALYZE, TIMING OFF, ', ''] : [''];
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
