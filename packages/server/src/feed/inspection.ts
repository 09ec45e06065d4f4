import { readPlan, type ExplainNode, type PlanStep } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { tidySql } from '../ground/database/tidy-sql.js';
import type { SignedIn } from '../ground/http/principal.js';
import type { FeedPage, FeedRequest } from './service.js';

/** One statement of a page, as it ran. */
export interface RanStatement {
  readonly does: string;
  readonly sql: string;
  readonly ms: number;
  readonly rows: number;
}

/** How a page was read. */
export interface InspectedPage {
  readonly page: FeedPage;
  /** The whole of it, as the service spent it. */
  readonly ms: number;
  readonly statements: RanStatement[];
  /** The plan of the statement that gave the page. */
  readonly plan: PlanStep;
}

/** Reads a page on a data source. */
export type ReadPage = (dataSource: DataSource, viewer: SignedIn, request: FeedRequest) => Promise<FeedPage>;

const [GUESSED, READ] = [
  'A guess at the cheapest way, which did not fill the page',
  'The page: which posts, and what they show',
];

/** Looks closely at how a page is read: the very code that serves it, on a data source that keeps what it is asked. */
export class FeedInspection {
  readonly #dataSource: DataSource;
  readonly #read: ReadPage;

  constructor(dataSource: DataSource, read: ReadPage) {
    this.#dataSource = dataSource;
    this.#read = read;
  }

  /** Reads a page as a viewer, and then runs the statement that gave it once more for its plan. Nothing is written. */
  async of(viewer: SignedIn, request: FeedRequest): Promise<InspectedPage> {
    const asked: { sql: string; parameters: unknown[]; ms: number; rows: number }[] = [];
    const query = async (sql: string, parameters: unknown[] = []): Promise<unknown> => {
      const started = performance.now();
      const rows = await this.#dataSource.query<unknown[]>(sql, parameters);
      asked.push({ sql, parameters, ms: performance.now() - started, rows: rows.length });
      return rows;
    };
    const watched = Object.create(this.#dataSource, { query: { value: query } }) as DataSource;
    const started = performance.now();
    const page = await this.#read(watched, viewer, request);
    const ms = performance.now() - started;
    const last = asked.at(-1)!;
    const [row] = await this.#dataSource.query<{ 'QUERY PLAN': [{ Plan: ExplainNode }] }[]>(
      `EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) ${last.sql}`,
      last.parameters,
    );
    const statements = asked.map((each, i) => ({
      does: i < asked.length - 1 ? GUESSED : READ,
      sql: tidySql(each.sql),
      ms: round(each.ms),
      rows: each.rows,
    }));
    return { page, ms: round(ms), statements, plan: readPlan(row!['QUERY PLAN'][0].Plan) };
  }
}

const round = (ms: number): number => Math.round(ms * 100) / 100;
