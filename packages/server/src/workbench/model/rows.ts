import type { OwnFields } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { HousePlan } from '../../ground/capability/house-plan.js';
import { Problem } from '../../ground/http/problem.js';
import { sqlState } from '../../ground/database/transaction.js';
import type { ModelConstraint, ModelShape } from './describe.js';
import { quoted } from '../../ground/fields/field-columns.js';
import { showingOf, type Showing } from '../../ground/traces/shown-columns.js';

const LONGEST_VALUE = 200;
/** Rows of a table that are shown for one association. */
const ASSOCIATED = 5;

/** A row as text, in the order of the columns; masked values and NULL are told apart by the columns' showing. */
export interface ShownRow {
  /** Its primary key, as the routes take it. */
  readonly key: string;
  readonly values: (string | null)[];
}

/** Rows of one table. */
export interface ShownRows {
  readonly table: string;
  readonly columns: { readonly name: string; readonly showing: Showing }[];
  readonly rows: ShownRow[];
}

/** What a row is associated with by one foreign key, in one direction. */
export interface Association {
  /** In words: `author of this post`, `posts by author_id`. */
  readonly by: string;
  readonly direction: 'refers to' | 'referred to by';
  readonly count: number;
  readonly rows: ShownRows;
}

/** Looks at rows of the model's tables, private columns masked unless asked for. */
export class ModelRows {
  readonly #dataSource: DataSource;
  readonly #plan: HousePlan;
  readonly #model: OwnFields;
  readonly #reveal: boolean;
  readonly #tables: readonly ModelShape[];

  constructor(
    dataSource: DataSource,
    { plan, model }: { readonly plan: HousePlan; readonly model: OwnFields },
    tables: readonly ModelShape[],
    reveal: boolean,
  ) {
    this.#dataSource = dataSource;
    this.#plan = plan;
    this.#model = model;
    this.#tables = tables;
    this.#reveal = reveal;
  }

  /** The first rows of a table, newest first where it has a time. @throws Problem `not-found` */
  async first(name: string, limit: number): Promise<ShownRows> {
    const table = this.#table(name);
    const newest = table.columns.some((column) => column.name === 'created_at')
      ? `ORDER BY created_at DESC, ${keyOf(table).map(quoted).join(', ')}`
      : '';
    return this.#read(table, newest, [], limit);
  }

  /** One row, and what it is associated with, both ways. @throws Problem `not-found` */
  async one(name: string, key: string): Promise<{ row: ShownRows; associations: Association[] }> {
    const table = this.#table(name);
    const values = key.split(',');
    const columns = keyOf(table);
    if (values.length !== columns.length) throw new Problem('not-found', `There is no row ${key} in ${name}.`);
    // The key is compared as it is, not as text: the primary key's index finds it.
    const where = `WHERE ${matching(columns)}`;
    const row = await this.#read(table, where, values, 1).catch((error: unknown) => {
      if (!sqlState(error)?.startsWith('22')) throw error;
      throw new Problem('not-found', `There is no row ${key} in ${name}: that is no key of it.`);
    });
    if (row.rows.length === 0) throw new Problem('not-found', `There is no row ${key} in ${name}.`);
    const outgoing = foreignKeys(table);
    const incoming = this.#tables.flatMap((other) =>
      foreignKeys(other)
        .filter((rule) => rule.refersTo === name)
        .map((rule) => ({ table: other, rule })),
    );
    const keys = [
      ...columns,
      ...outgoing.flatMap(({ columns: own }) => own),
      ...incoming.flatMap(({ rule }) => rule.referenced),
    ];
    const [linked] = await this.#dataSource.query<Record<string, unknown>[]>(
      `SELECT ${[...new Set(keys)].map(quoted).join(', ')} FROM ${quoted(name)} ${where}`,
      values,
    );
    const associations: Association[] = [];
    if (!linked) return { row, associations };
    for (const rule of outgoing) associations.push(...(await this.#towards(rule, linked)));
    for (const { table: other, rule } of incoming) associations.push(...(await this.#from(other, rule, linked)));
    return { row, associations };
  }

  #table(name: string): ModelShape {
    const table = this.#tables.find((candidate) => candidate.name === name);
    if (!table) throw new Problem('not-found', `There is no table ${name} in the model.`);
    return table;
  }

  async #towards(
    { columns, referenced, refersTo }: ModelConstraint,
    row: Record<string, unknown>,
  ): Promise<Association[]> {
    const values = columns.map((column) => row[column]);
    if (values.some((value) => value === null)) return [];
    const rows = await this.#read(this.#table(refersTo!), `WHERE ${matching(referenced)}`, values, ASSOCIATED);
    return [{ by: columns.at(-1)!, direction: 'refers to', count: rows.rows.length, rows }];
  }

  async #from(
    table: ModelShape,
    { columns, referenced }: ModelConstraint,
    row: Record<string, unknown>,
  ): Promise<Association[]> {
    const values = referenced.map((column) => row[column] ?? null);
    const [counted] = await this.#dataSource.query<{ n: number }[]>(
      `SELECT count(*)::integer AS n FROM ${quoted(table.name)} WHERE ${matching(columns)}`,
      values,
    );
    if (counted!.n === 0) return [];
    const rows = await this.#read(table, `WHERE ${matching(columns)}`, values, ASSOCIATED);
    return [{ by: columns.at(-1)!, direction: 'referred to by', count: counted!.n, rows }];
  }

  async #read(table: ModelShape, rest: string, parameters: unknown[], limit: number): Promise<ShownRows> {
    const columns = table.columns.map(({ name }) => ({ name, showing: this.#showing(table.name, name) }));
    const key = `concat_ws(',', ${keyOf(table)
      .map((name) => `${quoted(name)}::text`)
      .join(', ')})`;
    // What is not shown is not even read.
    const values = columns.map(({ name, showing }) =>
      showing === 'shown' ? `left(${quoted(name)}::text, ${LONGEST_VALUE})` : 'NULL',
    );
    const rows = await this.#dataSource.query<ShownRow[]>(
      `SELECT ${key} AS key, ARRAY[${values.join(', ')}]::text[] AS values FROM ${quoted(table.name)} ${rest} LIMIT ${limit}`,
      parameters,
    );
    return { table: table.name, columns, rows };
  }

  #showing(table: string, column: string): Showing {
    const showing = showingOf(this.#plan, this.#model, table, column);
    return showing === 'masked' && this.#reveal ? 'shown' : showing;
  }
}

const keyOf = (table: ModelShape): string[] =>
  table.constraints.find(({ kind }) => kind === 'primary key')?.columns ?? table.columns.map(({ name }) => name);

const foreignKeys = (table: ModelShape): ModelConstraint[] =>
  table.constraints.filter(({ kind }) => kind === 'foreign key');

const matching = (columns: readonly string[]): string =>
  columns.map((column, i) => `${quoted(column)} = $${i + 1}`).join(' AND ');
