import {
  fieldNameOf,
  MODEL_TABLES,
  type FieldRule,
  type FieldValue,
  type ModelTableName,
  type PresentField,
} from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { heldIn } from '../../../ground/fields/column-type.js';

/**
 * The `f_` columns of the three tables with the objects that belong to them, by their names. The rule of a check
 * stands in its comment, in JSON Schema's words. Cost: some milliseconds, whatever is in the tables.
 */
const COLUMNS = `
  SELECT c.relname AS table, a.attname AS column, format_type(a.atttypid, a.atttypmod) AS type, a.attnotnull AS required,
    pg_get_expr(d.adbin, d.adrelid) AS default_sql,
    obj_description(r.oid, 'pg_constraint') AS rule, coalesce(r.convalidated, true) AS rule_proved,
    CASE WHEN u.indexrelid IS NULL THEN 'none' WHEN u.indisvalid THEN 'valid' ELSE 'broken' END AS unique,
    CASE WHEN i.indexrelid IS NULL THEN 'none' WHEN i.indisvalid THEN 'valid' ELSE 'broken' END AS index,
    CASE WHEN k.oid IS NULL THEN 'none' WHEN k.convalidated THEN 'proved' ELSE 'unproved' END AS reference
  FROM pg_class c
  JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attname LIKE 'f\\_%'
  LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
  LEFT JOIN pg_constraint r ON r.conrelid = c.oid AND r.conname = format('%s_%s_rule', c.relname, a.attname)
  LEFT JOIN pg_constraint k ON k.conrelid = c.oid AND k.contype = 'f' AND k.conname = format('%s_%s_user', c.relname, a.attname)
  LEFT JOIN pg_index u ON u.indrelid = c.oid AND u.indexrelid = to_regclass(format('%I', format('%s_%s_unique', c.relname, a.attname)))
  LEFT JOIN pg_index i ON i.indrelid = c.oid AND i.indexrelid = to_regclass(format('%I', format('%s_%s_index', c.relname, a.attname)))
  WHERE c.relnamespace = 'public'::regnamespace AND c.relname = ANY ($1)
  ORDER BY c.relname, a.attnum`;

interface ColumnRow extends Omit<PresentField, 'name' | 'default' | 'rule' | 'ruleProved'> {
  readonly column: string;
  readonly default_sql: string | null;
  readonly rule: string | null;
  readonly rule_proved: boolean;
}

/** The columns of the developer's fields as they really are in the database. */
export async function presentFields(database: DataSource | EntityManager): Promise<PresentField[]> {
  const rows = await database.query<ColumnRow[]>(COLUMNS, [[...MODEL_TABLES]]);
  const defaults = await readDefaults(database, rows);
  return rows.map(({ column, default_sql: _, rule_proved: ruleProved, rule, ...row }, i) => ({
    ...row,
    type: heldIn(row.type),
    name: fieldNameOf(column),
    rule: rule === null ? null : readRule(rule),
    ruleProved,
    default: defaults[i] ?? null,
  }));
}

function readRule(comment: string): FieldRule | null {
  try {
    return JSON.parse(comment) as FieldRule;
  } catch {
    return null;
  }
}

/** Defaults are constants: the database says what they are as JSON. */
async function readDefaults(database: DataSource | EntityManager, rows: ColumnRow[]): Promise<FieldValue[]> {
  const values = rows.map((row) => row.default_sql ?? 'NULL');
  if (values.every((sql) => sql === 'NULL')) return [];
  const [row] = await database.query<{ defaults: FieldValue[] }[]>(
    `SELECT json_build_array(${values.map((sql) => `(${sql})`).join(', ')}) AS defaults`,
  );
  return row!.defaults.map((value, i) =>
    rows[i]!.type.startsWith('timestamp') && typeof value === 'string' ? new Date(value).toISOString() : value,
  );
}

/** Columns that a change of type left behind when it was interrupted. */
export async function unfinishedColumns(
  database: DataSource | EntityManager,
): Promise<{ table: ModelTableName; column: string; type: string }[]> {
  return database.query<{ table: ModelTableName; column: string; type: string }[]>(
    `SELECT c.relname AS table, a.attname AS column, format_type(a.atttypid, a.atttypmod) AS type FROM pg_class c
     JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attname LIKE 'm\\_%'
     WHERE c.relnamespace = 'public'::regnamespace AND c.relname = ANY ($1)`,
    [[...MODEL_TABLES]],
  );
}
