import { columnRule, type Answer, type Field, type FieldRule } from '@gather-lane/core';
import { quoted } from '../../../ground/fields/field-columns.js';
import { columnSql, fitsSql, literal, nearestSql, objectsOf, ruleSql, valueSql } from './column-sql.js';
import type { Draft, Phase } from './step.js';
import { columnType } from '../../../ground/fields/column-type.js';

/** A step of statements in one transaction. */
export const atOnce = (phase: Phase, does: string, ...statements: string[]): Draft => ({
  phase,
  does,
  work: { way: 'at-once', statements },
});
/** A step that is one statement beside the work of others. */
export const beside = (phase: Phase, does: string, statement: string, index?: string): Draft => ({
  phase,
  does,
  work: { way: 'beside', statement, ...(index && { index }) },
});
/** A step that is an update in batches. */
export const batches = (phase: Phase, does: string, set: string, where: string): Draft => ({
  phase,
  does,
  work: { way: 'batches', set, where },
});

/** An ALTER TABLE of several actions. */
export const alter = (table: string, ...actions: string[]): string => `ALTER TABLE ${table} ${actions.join(', ')}`;
const remember = (table: string, name: string, rule: FieldRule): string =>
  `COMMENT ON CONSTRAINT ${quoted(name)} ON ${table} IS ${literal(JSON.stringify(rule))}`;

/** Adds the rule of a field's column for new rows; it is proved for the others afterwards. */
export function holdRule(field: Field): string[] {
  const [rule, objects] = [columnRule(field), objectsOf(field)];
  const drop = `DROP CONSTRAINT IF EXISTS ${quoted(objects.rule)}`;
  if (!rule) return [alter(field.table, drop)];
  const check = ruleSql(rule, columnSql(field), columnType(field.kind));
  return [
    alter(field.table, drop, `ADD CONSTRAINT ${quoted(objects.rule)} CHECK (${check}) NOT VALID`),
    remember(field.table, objects.rule, rule),
  ];
}

/** Steps that prove the rule of a field for every row. */
export const proveRule = (phase: Phase, field: Field): Draft[] =>
  columnRule(field)
    ? [
        beside(
          phase,
          'prove the rule for every row',
          alter(field.table, `VALIDATE CONSTRAINT ${quoted(objectsOf(field).rule)}`),
        ),
      ]
    : [];

/** The value that an answer puts in place of one that does not fit. */
export function mendSql(field: Field, answer: Answer | undefined, expression: string): string {
  if (answer === 'nearest') return nearestSql(field, expression);
  if (typeof answer === 'object' && 'constant' in answer) return valueSql(field, answer.constant);
  return 'NULL';
}

/** Steps that put what an answer says in the place of values that do not fit. */
export function mendMisfits(phase: Phase, field: Field, answer: Answer | undefined): Draft[] {
  if (answer === undefined) return [];
  const column = columnSql(field);
  return [
    batches(
      phase,
      'mend the values that do not fit',
      `${column} = ${mendSql(field, answer, column)}`,
      `NOT (${fitsSql(field, column)})`,
    ),
  ];
}
