import {
  columnOf,
  fieldNameOf,
  fieldsOf,
  type FieldValues,
  type OwnFields,
  type ModelTableName,
} from '@gather-lane/core';
import { brokenConstraint, brokenColumn } from '../database/transaction.js';
import { invalid, Problem } from '../http/problem.js';

/** A name as SQL takes it, whatever is in it. */
export const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** The developer's own fields of a row as one JSON object, for a statement that reads the table under an alias. */
export function fieldsColumn(model: OwnFields, table: ModelTableName, alias: string): string {
  const pairs = fieldsOf(model, table).map(({ name }) => `'${name}', ${alias}.${quoted(columnOf(name))}`);
  return pairs.length > 0 ? `json_build_object(${pairs.join(', ')}) AS fields` : `NULL::json AS fields`;
}

/** What a statement writes of own fields: their columns, and the values in the same order. */
export function fieldColumns(values: FieldValues | undefined): { columns: string[]; values: unknown[] } {
  const entries = Object.entries(values ?? {});
  return { columns: entries.map(([name]) => quoted(columnOf(name))), values: entries.map(([, value]) => value) };
}

/** Own fields as one JSON object by column, for a statement that writes several rows; null where none are given. */
export function fieldsJson(values: FieldValues | undefined): string | null {
  const entries = Object.entries(values ?? {}).map(([name, value]) => [columnOf(name), value] as const);
  return entries.length > 0 ? JSON.stringify(Object.fromEntries(entries)) : null;
}

/** Groups those that give the same own fields: what is not given is left to the database, so each group is a statement. */
export function byColumns<T extends { readonly columns: readonly string[] }>(all: readonly T[]): T[][] {
  const groups = new Map<string, T[]>();
  for (const each of all) {
    const columns = each.columns.join();
    const group = groups.get(columns);
    if (group) group.push(each);
    else groups.set(columns, [each]);
  }
  return [...groups.values()];
}

/** `, f_a = $5, f_b = $6`: what an UPDATE sets of own fields, with parameters from a number on. */
export const setFields = (columns: string[], from: number): string =>
  columns.map((column, i) => `, ${column} = $${from + i}`).join('');

const RULES = /^(users|posts|comments)_(f_\w+)_(rule|given|unique|user)$/;

/**
 * Does a write, and answers what the database refuses of an own field as the caller's mistake. Its checks are the
 * last word: a rule may have been made stricter since this service read its model file.
 */
export async function withFieldProblems<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const column = brokenColumn(error);
    if (column?.startsWith('f_')) throw invalid(`/fields/${fieldNameOf(column)}`, 'is required, and was not given');
    const [, , broken, rule] = RULES.exec(brokenConstraint(error) ?? '') ?? [];
    if (!broken) throw error;
    const [name, pointer] = [fieldNameOf(broken), `/fields/${fieldNameOf(broken)}`];
    if (rule === 'unique')
      throw new Problem('taken', `The value of ${name} is taken: choose another.`, [{ pointer, detail: 'is taken' }]);
    if (rule === 'user') throw invalid(pointer, 'names no user');
    throw invalid(pointer, rule === 'given' ? 'is required, and was not given' : 'breaks the rule of the field');
  }
}
