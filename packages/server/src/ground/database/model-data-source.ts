import type { Pool, QueryConfig, QueryResult } from 'pg';
import { DataSource, QueryFailedError, type DataSourceOptions, type QueryRunner } from 'typeorm';
import type { PostgresDriver } from 'typeorm/driver/postgres/PostgresDriver.js';
import { measured, measuring } from '../metrics/measured.js';
import type { PlanFunctions } from '../pooler/plan-functions.js';
import { knownText } from '../traces/known-text.js';
import { OutcomeUnknown, wasCutOff } from './gone.js';
import type { Querying } from './hot-transaction.js';
import { INSTANTS_AS_TEXT } from './instants.js';
import { preparedAs, WRITES, type Reach } from './prepared.js';
import { allAtOnce, answerTo, inOnePacket, lease, type Outcome, type Statement } from './together.js';
import type { WrittenPlaces } from './written-places.js';

/**
 * Maps the developer's own fields right before the entities' metadata is read, and sends the statements that matter over
 * connections of their own, where they are prepared by name. There every plan is made once, for all callers: left to itself
 * PostgreSQL takes a plan for one caller to be cheaper, and makes one on each call, which costs as much as running it.
 */
export class ModelDataSource extends DataSource {
  readonly #mapFields: () => void;
  /** Where statements are prepared; see {@link poolsOf}. */
  readonly hot: Pool;
  readonly #prepares: boolean;
  readonly #plans: PlanFunctions | undefined;
  readonly #traced: boolean;
  #places: WrittenPlaces | null = null;

  constructor(
    options: DataSourceOptions,
    mapFields: () => void,
    {
      hot,
      prepares,
      plans,
      traced,
    }: {
      readonly hot: Pool;
      readonly prepares: boolean;
      readonly plans: PlanFunctions | undefined;
      readonly traced: boolean;
    },
  ) {
    super(options);
    this.#mapFields = mapFields;
    this.hot = hot;
    this.#prepares = prepares;
    this.#plans = plans;
    this.#traced = traced;
    // A connection that breaks while it is idle is replaced by the next; whoever needs one hears of it.
    this.hot.on('error', () => undefined);
  }

  /**
   * Has it asked along with each write that matters how far into the log that reaches, where nothing that follows tells it, and told where something else may have been
   * written: whatever is done on a connection of the other pool.
   */
  followWrites(places: WrittenPlaces): void {
    this.#places = places;
    (this.driver as PostgresDriver).master.on('release', () => places.wroteOtherwise());
  }

  /**
   * Statements that matter are prepared by name; all others, and those in transactions, go the usual way.
   * @throws OutcomeUnknown when the connection breaks under a write that commits by itself
   */
  override query<T = unknown>(sql: string, parameters?: unknown[], runner?: QueryRunner): Promise<T> {
    // Who asks is known here alone: a connection is handed over later.
    if (this.#traced) knownText(sql);
    return this.#ask<T>(sql, parameters, runner);
  }

  #ask<T>(sql: string, parameters: unknown[] | undefined, runner: QueryRunner | undefined): Promise<T> {
    if (runner) return measured(sql, super.query<T>(sql, parameters, runner));
    const hot = this.#hotly({ sql, parameters: parameters ?? [] });
    if (!hot) return measured(sql, this.#send<T>(sql, parameters));
    if (!this.#places) return this.#sendHot<T>(hot);
    if (hot.reach === 'is told') return this.#sendTelling<T>(hot, this.#places);
    return hot.writes && hot.reach === undefined ? this.#sendAsking<T>(hot, this.#places) : this.#sendHot<T>(hot);
  }

  async #send<T>(sql: string, parameters: unknown[] | undefined): Promise<T> {
    try {
      return await super.query<T>(sql, parameters);
    } catch (error) {
      throw unknownIfWritten(sql, error) ?? error;
    }
  }

  /** By a callback: a promise of the pool's, and one for each step to it, are a tenth of what a statement costs here. */
  #sendHot<T>(query: HotQuery): Promise<T> {
    const ended = measuring(query.plain ?? query.text);
    return new Promise((resolve, reject) => {
      this.hot.query(query, (error: Error | undefined, result: QueryResult) => {
        ended?.(Boolean(error));
        if (!error) {
          this.#learn(query, result);
          return resolve(result.rows as T);
        }
        this.#failed<T>(query, error).then(resolve, reject);
      });
    });
  }

  /** Sends what tells how far the write reaches that came before it. */
  async #sendTelling<T>(query: HotQuery, places: WrittenPlaces): Promise<T> {
    const { done } = places;
    const rows = await this.#sendHot<T & readonly { readonly reaches: string }[]>(query);
    if (rows[0]) places.heard(rows[0].reaches, done);
    return rows;
  }

  /** Sends a write, and asks along with it how far it reaches; by callbacks too. */
  #sendAsking<T>(query: HotQuery, places: WrittenPlaces): Promise<T> {
    const ended = measuring(query.plain ?? query.text);
    return new Promise((resolve, reject) => {
      this.hot.connect((unreached, client, release) => {
        if (!client) {
          ended?.(true);
          return void this.#failed<T>(query, unreached!).then(resolve, reject);
        }
        let written: { readonly error: Error | null; readonly result: QueryResult };
        inOnePacket(client, () => {
          client.query(query, (error: Error | null, result) => {
            ended?.(Boolean(error));
            written = { error, result };
          });
          places.tell(client, this.#prepares, () => {
            const { error, result } = written;
            release(error ?? undefined);
            if (error) return void this.#failed<T>(query, error).then(resolve, reject);
            this.#learn(query, result);
            resolve(result.rows as T);
          });
        });
      });
    });
  }

  /** What comes of a statement that failed: done again without its function, where that is gone. @throws what it failed with */
  async #failed<T>(query: HotQuery, error: Error): Promise<T> {
    const sql = query.plain ?? query.text;
    if (query.plain !== undefined && this.#plans!.isGone(query.plain, error))
      return this.#sendHot<T>(plainly(query)).finally(() => this.#places?.wroteOtherwise());
    throw unknownIfWritten(sql, error) ?? new QueryFailedError(sql, query.values, error);
  }

  /** Sends statements that matter in one write; see {@link together}. */
  async together(statements: readonly Statement[]): Promise<Outcome[]> {
    if (this.#traced) for (const { sql } of statements) knownText(sql);
    const queries = statements.map(
      (statement): HotQuery => this.#hotly(statement) ?? { text: statement.sql, values: [...statement.parameters] },
    );
    const outcomes = await allAtOnce(this.hot, queries, (i, result) => this.#learn(queries[i]!, result));
    if (!outcomes.some(hasFailed)) return outcomes;
    return Promise.all(
      outcomes.map(async (outcome, i): Promise<Outcome> => {
        if (!hasFailed(outcome)) return outcome;
        const { sql, parameters } = statements[i]!;
        return queries[i]!.plain !== undefined && this.#plans!.isGone(sql, outcome.error)
          ? this.#sendHot<unknown[]>(plainly(queries[i]!)).then(asRows, asError)
          : { error: new QueryFailedError(sql, [...parameters], outcome.error as Error) };
      }),
    );
  }

  /** Runs work in a transaction on one of the connections where statements are prepared; see {@link inHotTransaction}. */
  async transactHot<T>(work: (transaction: Querying) => Promise<T>): Promise<T> {
    const { client, release } = await lease(this.hot);
    let [begun, broken, planGone] = [false, true, false];
    /** The first statement goes with what begins the transaction: one packet, and one round trip. */
    const send = (sql: string, query: HotQuery): Promise<QueryResult> =>
      begun ? answerTo(client, query, sql) : begin(sql, query);
    const begin = async (sql: string, query: HotQuery): Promise<QueryResult> => {
      begun = true;
      const [opened, answered] = inOnePacket(client, () => [answerTo(client, 'BEGIN'), answerTo(client, query, sql)]);
      const [beginning, first] = await Promise.allSettled([opened, answered]);
      if (beginning.status === 'rejected') throw beginning.reason;
      if (first.status === 'rejected') throw first.reason;
      return first.value;
    };
    try {
      const result = await work({
        query: async <R>(sql: string, parameters: unknown[] = []) => {
          if (this.#traced) knownText(sql);
          const query: HotQuery = this.#hotly({ sql, parameters }) ?? { text: sql, values: parameters };
          try {
            const result = await send(sql, query);
            this.#learn(query, result);
            return result.rows as R;
          } catch (error) {
            planGone ||= query.plain !== undefined && this.#plans!.isGone(sql, error);
            throw new QueryFailedError(sql, parameters, error as Error);
          }
        },
      });
      if (!begun) {
        broken = false;
        return result;
      }
      const [committed, asked] = inOnePacket(client, () => [
        answerTo(client, 'COMMIT'),
        this.#places?.ask(client, this.#prepares),
      ]);
      await committed.catch((error: unknown) => {
        throw wasCutOff(error) ? new OutcomeUnknown('the connection broke at COMMIT', { cause: error }) : error;
      });
      await asked;
      broken = false;
      return result;
    } catch (error) {
      broken =
        begun &&
        (await client.query('ROLLBACK').then(
          () => false,
          () => true,
        ));
      if (!planGone) throw error;
    } finally {
      release(broken);
    }
    // Without the function that is not what it was.
    return this.transactHot(work);
  }

  #hotly({ sql, parameters }: Statement): HotQuery | null {
    const how = preparedAs(sql);
    if (!how || !(this.#prepares || this.#plans || how.textInstants)) return null;
    const call = this.#plans?.callOf(sql) ?? null;
    return {
      text: call ?? sql,
      ...(call !== null && { plain: sql }),
      values: [...parameters],
      writes: how.writes,
      reach: how.reach,
      ...(this.#prepares && { name: how.name }),
      ...(how.textInstants && { types: INSTANTS_AS_TEXT }),
    };
  }

  /** What a statement yields is known once it was answered: a function can keep its plan from then on. */
  #learn({ text, plain }: HotQuery, { fields }: QueryResult): void {
    const how = this.#plans && plain === undefined ? preparedAs(text) : undefined;
    if (how) this.#plans!.answered(text, how.name, fields);
  }

  override async destroy(): Promise<void> {
    await this.hot.end();
    if (this.isInitialized) await super.destroy();
  }

  protected override async buildMetadatas(): Promise<void> {
    this.#mapFields();
    await super.buildMetadatas();
  }
}

/** A statement as it is sent. */
export type HotQuery = QueryConfig & {
  values: unknown[];
  /** The statement itself, where a function is called in its place. */
  plain?: string | undefined;
  writes?: boolean;
  reach?: Reach | undefined;
};

/** The same without a function. */
const plainly = ({ plain, ...query }: HotQuery): HotQuery => ({ ...query, text: plain ?? query.text });

const hasFailed = (outcome: Outcome): outcome is { readonly error: unknown } => 'error' in outcome;
const asRows = (rows: unknown[]): Outcome => ({ rows });
const asError = (error: unknown): Outcome => ({ error });

/** What is thrown where a connection breaks under a write that commits by itself; null for any other failure. */
const unknownIfWritten = (sql: string, error: unknown): OutcomeUnknown | null =>
  wasCutOff(error) && WRITES.test(sql)
    ? new OutcomeUnknown('the connection broke under a write', { cause: error })
    : null;
