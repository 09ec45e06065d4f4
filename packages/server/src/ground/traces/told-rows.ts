import type { RowAct, RowChange, RowValues } from '@gather-lane/core';

/** What the database says of rows: a notice of `trace_told`. */
export interface RowsNotice {
  readonly message?: string | undefined;
}

/** How many rows of a table a statement inserted, changed or deleted. */
export interface RowsOf {
  readonly table: string;
  readonly act: RowAct;
  readonly rows: number;
}

/** What the database said of rows at once, as it is kept: only what may be, and as text, for few calls are looked at. */
export interface ToldRows {
  readonly text: string;
  readonly counts: readonly RowsOf[];
  readonly rows: number;
}

/** By this a notice of rows is known. */
export const ROWS_NOTICE = 'GLT02';

/** Which columns of a table may be kept. */
export type IsShown = (table: string, column: string) => boolean;

const ACTS: Record<string, RowAct> = { INSERT: 'inserted', UPDATE: 'changed', DELETE: 'deleted' };
/** The name of a function as the database writes it; anything else is the text of a statement, of which nothing may be kept. */
const FUNCTION = /^(?:"?[\w.$]{1,130}"?)?$/;
/** Longer values are shortened where they are shown. */
const LONGEST = 400;

/** What stands before the rows of one table that something happened to in one place. */
interface Head {
  readonly table: string;
  readonly act: RowAct;
  /** Columns that are not public. */
  readonly masks: readonly string[];
  /** The function of the database that did it; empty for the statement itself, and for foreign keys. */
  readonly by: string;
}

/** A row in it: which of the columns that are not public have another value now, and what it was and is. */
type Line = readonly [others: string, old: string, made: string];

const NO_ROW = '-';

/**
 * Takes in what the database says of rows: a line for what happened to a table in one place, with a row after each carriage return. The
 * function leaves out what is not public; what is not known to be is left out here. Those that were written as they were do not count.
 */
export function takeIn({ message = '' }: RowsNotice, isShown: IsShown): ToldRows {
  const counts: RowsOf[] = [];
  let [total, left] = [0, false];
  const groups = groupsOf(message).map((group) => {
    const { table, act, by } = headOf(group);
    const lines = linesOf(group);
    // All rows of a statement have the columns of the first.
    const unknown = Object.keys(rowOf(lines[0]!)).filter((name) => !isShown(table, name));
    if (unknown.length > 0 || !FUNCTION.test(by)) {
      left = true;
      return withoutColumns(group, unknown);
    }
    const rows = act === 'changed' ? lines.filter(isAnother).length : lines.length;
    if (rows > 0) counts.push({ table, act, rows });
    total += rows;
    return group;
  });
  // Anew, for a part of a text keeps the whole of it.
  return left ? takeIn({ message: textOf(groups) }, isShown) : { text: message, counts, rows: total };
}

/** Makes out the rows that were told of. @param statement which of the call's, and whether it was taken back */
export function rowChanges({ text }: ToldRows, statement: number, undone: boolean): RowChange[] {
  return groupsOf(text).flatMap((group) => {
    const head = headOf(group);
    const lines = head.act === 'changed' ? linesOf(group).filter(isAnother) : linesOf(group);
    return lines.map((line) => rowChange(head, line, statement, undone));
  });
}

const groupsOf = (text: string): string[] => text.split('\n').slice(1);
const textOf = (groups: readonly string[]): string => ['', ...groups].join('\n');

function headOf(group: string): Head {
  const end = group.indexOf('\r');
  const [, table = '', did = '', masked = '{}', by = ''] = (end < 0 ? group : group.slice(0, end)).split('\t');
  return { table, act: ACTS[did] ?? 'changed', masks: masked === '{}' ? [] : masked.slice(1, -1).split(','), by };
}

const linesOf = (group: string): Line[] =>
  group
    .split('\r')
    .slice(1)
    .map((line) => {
      const [others = '', old = NO_ROW, made = NO_ROW] = line.split('\t');
      return [others, old, made];
    });

/** What is the same is written alike. */
const isAnother = ([others, old, made]: Line): boolean => old !== made || others !== '';

const parsed = (text: string): RowValues | null => (text === NO_ROW ? null : (JSON.parse(text) as RowValues));
const rowOf = ([, old, made]: Line): RowValues => parsed(made) ?? parsed(old) ?? {};

/** The same rows without columns of which nobody has said that they may be kept; they are named as those that are not public are. */
function withoutColumns(group: string, names: readonly string[]): string {
  const { table, act, masks, by } = headOf(group);
  const did = Object.keys(ACTS).find((word) => ACTS[word] === act);
  const lines = linesOf(group).map(([others, ...rows]) => {
    const [old, made] = rows.map(parsed);
    const unlike = names.filter((name) => old && made && !isSame(old[name], made[name]));
    const left = [old, made].map((row) => (row ? JSON.stringify(without(row, names)) : NO_ROW));
    return [[...others.split(',').filter(Boolean), ...unlike].join(','), ...left].join('\t');
  });
  return [
    ['', table, did, `{${[...masks, ...names].join(',')}}`, FUNCTION.test(by) ? by : ''].join('\t'),
    ...lines,
  ].join('\r');
}

const without = (row: RowValues, names: readonly string[]): RowValues =>
  Object.fromEntries(Object.entries(row).filter(([name]) => !names.includes(name)));

/** A row as it is shown. */
function rowChange({ table, act, masks, by }: Head, line: Line, statement: number, undone: boolean): RowChange {
  const [others, before, after] = [line[0].split(',').filter(Boolean), parsed(line[1]), parsed(line[2])];
  const unlike = before && after ? Object.keys(after).filter((name) => !isSame(before[name], after[name])) : [];
  return {
    table,
    key: null,
    act,
    before: before && shortened(before),
    after: after && shortened(after),
    changed: act === 'changed' ? [...unlike, ...masks.filter((name) => others.includes(name))] : [],
    masked: masks,
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
