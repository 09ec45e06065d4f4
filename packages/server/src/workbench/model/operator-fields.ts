import {
  fieldsOf,
  visibleFields,
  type FieldValue,
  type FieldValues,
  type OwnFields,
  type ModelTableName,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { Problem } from '../../ground/http/problem.js';
import { fieldColumns, fieldsColumn, setFields, withFieldProblems } from '../../ground/fields/field-columns.js';

/** Own fields of any row, all of them, for the operator. */
export class OperatorFields {
  readonly #dataSource: DataSource;
  readonly #model: OwnFields;

  constructor(dataSource: DataSource, model: OwnFields) {
    this.#dataSource = dataSource;
    this.#model = model;
  }

  /** @throws Problem `not-found` */
  async read(table: ModelTableName, id: string): Promise<Record<string, FieldValue>> {
    const sql = `SELECT ${fieldsColumn(this.#model, table, 't')} FROM ${table} t WHERE t.id = $1`;
    const [row] = await this.#dataSource.query<{ fields: FieldValues | null }[]>(sql, [id]);
    if (!row) throw new Problem('not-found', `There is no such row of ${table}.`);
    return visibleFields(this.#model, table, row.fields, { kind: 'operator' }, id);
  }

  /**
   * Writes fields, whoever may write them otherwise. An edit that nobody but the operator can see does not count as
   * one: the `ETag` would tell of it.
   * @throws Problem `not-found`, `taken`, `invalid`
   */
  async write(table: ModelTableName, id: string, values: FieldValues): Promise<void> {
    const { columns, values: parameters } = fieldColumns(values);
    if (columns.length === 0) return;
    const seen = fieldsOf(this.#model, table).some(({ name, audience }) => name in values && audience !== 'operator');
    const sql = `UPDATE ${table} SET version = version + ${seen ? 1 : 0}${setFields(columns, 2)} WHERE id = $1 RETURNING id`;
    const [rows] = await withFieldProblems(() => this.#dataSource.query<[unknown[], number]>(sql, [id, ...parameters]));
    if (rows.length === 0) throw new Problem('not-found', `There is no such row of ${table}.`);
  }
}
