import type { RowAct, RowChange, RowValues } from '@gather-lane/core';

/** What the database says of rows: a notice of `trace_told`. */
export interface RowsNotice {
  readonly message?: string | undefined;
}

/** A row that was changed, as it is kept: only what may be, and not yet made out. */
export interface ToldRow {
  readonly table: string;
  readonly act: RowAct;
  readonly before: RowValues | null;
  readonly after: RowValues | null;
  /** Columns that are not public, with a star where the value is another now. */
  readonly hidden: readonly string[];
  /** The function of the database that did it; empty for the statement itself, and for foreign keys. */
  readonly by: string;
  readonly bytes: number;
}

/** By this a notice of rows is known. */
export const ROWS_NOTICE = 'GLT02';

/** Which columns of a table may be kept. */
export type IsShown = (table: string, column: string) => boolean;

const ACTS: Record<string, RowAct> = { INSERT: 'inserted', UPDATE: 'changed', DELETE: 'deleted' };
/** Longer values are shortened where they are shown. */
const LONGEST = 400;

/**
 * Reads what the database says of rows: a line for what happened to a table in one place, with a row after each carriage return. The
 * function leaves out what is not public; what is not known to be is left out here.
 * @returns none for those that were written as they were
 */
export function toldRows({ message = '' }: RowsNotice, isShown: IsShown): ToldRow[] {
  const rows: ToldRow[] = [];
  for (const group of message.split('\n').slice(1)) {
    const [head = '', ...lines] = group.split('\r');
    const [, table = '', did = '', masked = '{}', by = ''] = head.split('\t');
    const act = ACTS[did] ?? 'changed';
    const masks = masked === '{}' ? NONE : masked.slice(1, -1).split(',');
    for (const line of lines) {
      const [other = '', old = '-', made = '-'] = line.split('\t');
      // What is the same is written alike.
      if (act === 'changed' && old === made && other === '') continue;
      const unknown: string[] = [];
      const [before, after] = [rowOf(old, table, isShown, unknown), rowOf(made, table, isShown, unknown)];
      const hidden = unknown.length === 0 && other === '' ? masks : starred([...masks, ...unknown], other);
      rows.push({ table, act, before, after, hidden, by, bytes: old.length + made.length });
    }
  }
  return rows;
}

const NONE: readonly string[] = [];

/** Names, with a star at those whose value is another now. */
function starred(names: readonly string[], other: string): string[] {
  const others = new Set(other.split(','));
  return names.map((name) => (others.has(name) ? `*${name}` : name));
}

/** @param unknown is added what is left out, for nobody has said that it may be kept */
function rowOf(text: string, table: string, isShown: IsShown, unknown: string[]): RowValues | null {
  if (text === '-') return null;
  const row = JSON.parse(text) as Record<string, unknown>;
  for (const name in row)
    if (!isShown(table, name)) {
      delete row[name];
      if (!unknown.includes(name)) unknown.push(name);
    }
  return row;
}

/** A row as it is shown. */
export function rowChange(
  { table, act, before, after, hidden, by }: ToldRow,
  statement: number,
  undone: boolean,
): RowChange {
  const unlike = before && after ? Object.keys(after).filter((name) => !isSame(before[name], after[name])) : [];
  const starred = hidden.filter((name) => name.startsWith('*')).map((name) => name.slice(1));
  return {
    table,
    key: null,
    act,
    before: before && shortened(before),
    after: after && shortened(after),
    changed: act === 'changed' ? [...unlike, ...starred] : [],
    masked: hidden.map((name) => name.replace(/^\*/, '')),
    by: by === '' ? null : `function ${by.replaceAll('"', '')}`,
    statement,
    undone,
  };
}

const isSame = (a: unknown, b: unknown): boolean =>
  a === b || (typeof a === 'object' && typeof b === 'object' && JSON.stringify(a) === JSON.stringify(b));

const shortened = (row: RowValues): RowValues =>
  Object.fromEntries(Object.entries(row).map(([name, value]) => [name, shortValue(value)]));

function shortValue(value: unknown): unknown {
  if (typeof value === 'string') return value.length > LONGEST ? `${value.slice(0, LONGEST)}…` : value;
  if (typeof value !== 'object' || value === null) return value;
  const text = JSON.stringify(value);
  return text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : value;
}
