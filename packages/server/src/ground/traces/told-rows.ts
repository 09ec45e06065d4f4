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

/** By this a notice of `trace_row` is known. */
export const ROW_NOTICE = 'GLT01';

/** Which columns of a table may be kept. */
export type IsShown = (table: string, column: string) => boolean;

const ACTS: Record<string, RowAct> = { INSERT: 'inserted', UPDATE: 'changed', DELETE: 'deleted' };
/** Longer values are shortened. */
const LONGEST = 400;

/**
 * Reads what the database says of a row. The function leaves out what is not public; what it does not know of is left out here.
 * @returns null for a row that was written as it was
 */
export function toldRow(notice: RowNotice, statement: number, isShown: IsShown): RowChange | null {
  const table = notice.table ?? '';
  const [before, after] = [rowOf(notice.message), rowOf(notice.detail)];
  const hidden = (notice.hint ?? '-').split(' ').filter((name) => name !== '-');
  const names = Object.keys({ ...before, ...after });
  const shown = names.filter((name) => isShown(table, name));
  const kept = (row: RowValues | null): RowValues | null =>
    row && Object.fromEntries(shown.map((name) => [name, shortened(row[name])]));
  const masked = [...names.filter((name) => !shown.includes(name)), ...hidden.map((name) => name.replace(/^\*/, ''))];
  const unlike = before && after ? names.filter((name) => !isSame(before[name], after[name])) : [];
  const changed = [...unlike, ...hidden.filter((name) => name.startsWith('*')).map((name) => name.slice(1))];
  const act = ACTS[notice.constraint ?? ''] ?? 'changed';
  if (act === 'changed' && changed.length === 0) return null;
  return {
    table,
    key: null,
    act,
    before: kept(before),
    after: kept(after),
    changed: act === 'changed' ? changed : [],
    masked,
    by: doneBy(notice.where ?? ''),
    statement,
    undone: false,
  };
}

/** Values of JSON as PostgreSQL writes them: what is the same is written alike. */
const isSame = (a: unknown, b: unknown): boolean =>
  a === b || (typeof a === 'object' && typeof b === 'object' && JSON.stringify(a) === JSON.stringify(b));

function rowOf(text: string | undefined): RowValues | null {
  return text === undefined || text === '' || text === '-' ? null : (JSON.parse(text) as RowValues);
}

function shortened(value: unknown): unknown {
  if (typeof value === 'string') return value.length > LONGEST ? `${value.slice(0, LONGEST)}…` : value;
  if (typeof value !== 'object' || value === null) return value;
  const text = JSON.stringify(value);
  return text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : value;
}

/** The function that did it, from the innermost place in which it happened; null for the statement itself, and for foreign keys. */
function doneBy(where: string): string | null {
  const places = where.split('\n').slice(1);
  for (const place of places) {
    const called = /^(?:PL\/pgSQL|SQL) function "?(\w+)"?/.exec(place)?.[1];
    if (called !== undefined) return `function ${called}`;
  }
  return null;
}
