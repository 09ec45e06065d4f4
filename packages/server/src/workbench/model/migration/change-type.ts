import type { Answer, Field } from '@gather-lane/core';
import { quoted } from '../../../ground/fields/field-columns.js';
import { columnSql, convertSql, fitsSql, nextColumnOf, valueSql } from './column-sql.js';
import { alter, atOnce, batches, holdRule, mendSql, proveRule } from './drafts.js';
import type { Draft, Step } from './step.js';
import { columnType } from '../../../ground/fields/column-type.js';

/** The body of a function, in a quote that does not occur in it: values of an enum may hold anything. */
function body(text: string): string {
  let tag = '$$';
  for (let n = 1; text.includes(tag); n++) tag = `$b${n}$`;
  return `${tag} ${text} ${tag}`;
}

/**
 * A new type is built in a column beside the old one, kept in step by a trigger, and takes its place in one short
 * transaction. An ALTER of the type would rewrite the whole table while nobody may read it. Columns are written with
 * their table: a subquery on users has one of the same name nearer by.
 */
export function changeType(field: Field, answer: Answer | undefined, orphans: Answer | undefined): Draft[] {
  const { table } = field;
  const type = columnType(field.kind);
  const [from, next] = [columnSql(field), quoted(nextColumnOf(field.name))];
  const keeper = quoted(`keep_${table}_${nextColumnOf(field.name)}`);
  const value = (row: string) => {
    const converted = convertSql(`${row}${from}`, type);
    const known = orphans === undefined ? converted : `(SELECT u.id FROM users u WHERE u.id = ${converted})`;
    const mended = `CASE WHEN ${fitsSql(field, converted)} THEN ${known} WHEN ${row}${from} IS NOT NULL THEN ${mendSql(field, answer, converted)} END`;
    return answer === undefined ? known : mended;
  };
  return [
    atOnce(
      'expand',
      'add a column of the new type beside it',
      alter(table, `ADD COLUMN IF NOT EXISTS ${next} ${type}`),
    ),
    atOnce(
      'expand',
      'keep both in step',
      `CREATE OR REPLACE FUNCTION ${keeper}() RETURNS trigger LANGUAGE plpgsql AS ${body(`BEGIN NEW.${next} := ${value('NEW.')}; RETURN NEW; END`)}`,
      `CREATE OR REPLACE TRIGGER ${keeper} BEFORE INSERT OR UPDATE ON ${table} FOR EACH ROW EXECUTE FUNCTION ${keeper}()`,
    ),
    batches(
      'expand',
      'convert the values',
      `${next} = ${value(`${table}.`)}`,
      `${next} IS DISTINCT FROM ${value(`${table}.`)}`,
    ),
    atOnce(
      'contract',
      'put the new column in the place of the old',
      `DROP TRIGGER IF EXISTS ${keeper} ON ${table}`,
      `DROP FUNCTION IF EXISTS ${keeper}()`,
      alter(table, `DROP COLUMN ${from}`),
      alter(table, `RENAME COLUMN ${next} TO ${from}`),
      ...(field.default === null
        ? []
        : [alter(table, `ALTER COLUMN ${from} SET DEFAULT ${valueSql(field, field.default)}`)]),
      ...holdRule(field),
    ),
    ...proveRule('contract', field),
  ];
}

/** What takes an interrupted change of type away that is not wanted any more. */
export function forget(table: Field['table'], column: string): Step {
  const keeper = quoted(`keep_${table}_${column}`);
  const statements = [
    `DROP TRIGGER IF EXISTS ${keeper} ON ${table}`,
    `DROP FUNCTION IF EXISTS ${keeper}()`,
    alter(table, `DROP COLUMN IF EXISTS ${quoted(column)}`),
  ];
  const field = `${table}.${column}`;
  return {
    field,
    table,
    wanted: null,
    ...atOnce('expand', 'throw away what an interrupted change left', ...statements),
  };
}
