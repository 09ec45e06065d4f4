import { columnOf, columnRule, type Field, type FieldRule, type FieldValue } from '@gather-lane/core';
import { quoted } from '../../../ground/fields/field-columns.js';
import { columnType } from '../../../ground/fields/column-type.js';

/** A text as an SQL literal. Backslashes stand for themselves (standard_conforming_strings). */
export const literal = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** The objects of a field's column, by the names that they have in the catalogue. */
export interface ColumnObjects {
  readonly column: string;
  readonly rule: string;
  readonly given: string;
  readonly unique: string;
  readonly index: string;
  readonly reference: string;
}

/** Names of a field's objects; unquoted. */
export function objectsOf({ table, name }: { readonly table: string; readonly name: string }): ColumnObjects {
  const column = columnOf(name);
  const stem = `${table}_${column}`;
  return {
    column,
    rule: `${stem}_rule`,
    given: `${stem}_given`,
    unique: `${stem}_unique`,
    index: `${stem}_index`,
    reference: `${stem}_user`,
  };
}

/** The column that a field's new type is built in, beside the old one: `m_lock_number`. */
export const nextColumnOf = (name: string): string => columnOf(name).replace(/^f_/, 'm_');

/** A rule as a condition on an expression. */
export function ruleSql(rule: FieldRule, expression: string, type: string): string {
  if (rule.enum) return `${expression} IN (${rule.enum.map(literal).join(', ')})`;
  if (rule.maxLength !== undefined)
    return `char_length(${expression}) BETWEEN ${rule.minLength ?? 0} AND ${rule.maxLength}`;
  const number = (value: number) => (type === 'double precision' ? `'${value}'::double precision` : String(value));
  return `${expression} BETWEEN ${number(rule.minimum!)} AND ${number(rule.maximum!)}`;
}

/** A value of a field as an SQL expression of its column's type. */
export function valueSql(field: Field, value: FieldValue): string {
  return value === null ? 'NULL' : `${literal(String(value))}::${columnType(field.kind)}`;
}

/** A column's values as values of another type; null for those that cannot be. */
export const convertSql = (expression: string, type: string): string =>
  type === 'text' ? `${expression}::text` : `try_cast(${expression}::text, '${type}')::${type}`;

/** The value that is nearest to an expression's and fits the rule: texts cut, numbers moved to a bound. */
export function nearestSql(field: Field, expression: string): string {
  const rule = columnRule(field);
  const type = columnType(field.kind);
  if (rule?.maxLength !== undefined) return `left(${expression}, ${rule.maxLength})`;
  if (rule?.minimum === undefined) return expression;
  const number = (value: number) => `'${value}'::${type}`;
  return `least(greatest(${expression}, ${number(rule.minimum)}), ${number(rule.maximum!)})`;
}

/** The condition of a field's rule on an expression, `true` where its type says it all. */
export function fitsSql(field: Field, expression: string): string {
  const rule = columnRule(field);
  return rule ? ruleSql(rule, expression, columnType(field.kind)) : 'true';
}

/** A table's column, quoted. */
export const columnSql = (field: { readonly name: string }): string => quoted(columnOf(field.name));
