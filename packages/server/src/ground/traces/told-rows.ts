import type { RowAct, RowChange, RowValues } from '@gather-lane/core';

/** What the database says of a row: the fields of a notice that `trace_row` raises. */
export interface RowNotice {
  readonly code?: string | undefined;
  readonly message?: string | undefined;
  readonly detail?: string | undefined;
  readonly hint?: string | undefined;
  readonly table?: string | undefined;
  readonly constraint?: string | undefined;
  readonly where?: string | undefined;
}

/** A row that was changed, as it is kept: only what may be, and not yet made out. */
export interface ToldRow {
  readonly table: string;
  readonly act: RowAct;
  readonly before: RowValues | null;
  readonly after: RowValues | null;
  /** Columns that are not public, with a star where the value is another now. */
  readonly hidden: readonly string[];
  /** Where in the database it happened, as PostgreSQL says it: functions and their texts, no values. */
  readonly where: string;
  readonly bytes: number;
}

/** By this a notice of `trace_row` is known. */
export const ROW_NOTICE = 'GLT01';

/** Which columns of a table may be kept. */
export type IsShown = (table: string, column: string) => boolean;

const ACTS: Record<string, RowAct> = { INSERT: 'inserted', UPDATE: 'changed', DELETE: 'deleted' };
/** Longer values are shortened where they are shown. */
const LONGEST = 400;

/**
 * Reads what the database says of a row. The function leaves out what is not public; what is not known to be is left out here.
 * @returns null for a row that was written as it was
 */
export function toldRow(
  { table = '', constraint = '', message = '-', detail = '-', hint = '-', where = '' }: RowNotice,
  isShown: IsShown,
): ToldRow | null {
  const act = ACTS[constraint] ?? 'changed';
  // What is the same is written alike.
  if (act === 'changed' && message === detail && !hint.includes('*')) return null;
  const hidden = hint === '-' ? [] : hint.split(' ');
  const [before, after] = [rowOf(message, table, isShown, hidden), rowOf(detail, table, isShown, hidden)];
  return { table, act, before, after, hidden, where, bytes: message.length + detail.length + where.length };
}

function rowOf(text: string, table: string, isShown: IsShown, hidden: string[]): RowValues | null {
  if (text === '-') return null;
  const row = JSON.parse(text) as Record<string, unknown>;
  for (const name in row)
    if (!isShown(table, name)) {
      delete row[name];
      if (!hidden.includes(name)) hidden.push(name);
    }
  return row;
}

/** A row as it is shown. */
export function rowChange(
  { table, act, before, after, hidden, where }: ToldRow,
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
    by: doneBy(where),
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

/** The function that did it, from the innermost place in which it happened; null for the statement itself, and for foreign keys. */
function doneBy(where: string): string | null {
  for (const place of where.split('\n').slice(1)) {
    const called = /^(?:PL\/pgSQL|SQL) function "?(\w+)"?/.exec(place)?.[1];
    if (called !== undefined) return `function ${called}`;
  }
  return null;
}
