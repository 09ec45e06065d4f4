import Table from 'cli-table3';
import colors from 'picocolors';

/** Writes a line of what was asked for. */
export const print = (text = ''): void => void process.stdout.write(text + '\n');

/** Writes a remark that is no part of the output. */
export const remark = (text: string): void => void process.stderr.write(text + '\n');

/** Writes JSON for other programs. */
export const printJson = (value: unknown): void => print(JSON.stringify(value, null, 2));

/** How many columns the terminal has; a fixed width where the output is no terminal. */
export const terminalWidth = (): number => Math.max(60, Math.min(process.stdout.columns ?? 100, 140));

const LINES = {
  'top': '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  'bottom': '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  'left': '',
  'left-mid': '',
  'mid': '',
  'mid-mid': '',
  'right': '',
  'right-mid': '',
  'middle': '  ',
};

/** A column of a table: a fixed width, or `rest` for what the terminal leaves. */
export interface Column {
  readonly head: string;
  readonly width?: number | 'rest';
  readonly align?: 'left' | 'right';
}

/** A cell, or one that spans several columns. */
export type Cell = string | { readonly content: string; readonly colSpan: number };

/** Prints a table without rules; long texts wrap at words. */
export function printTable(columns: Column[], rows: Cell[][]): void {
  const gap = 2;
  const fixed = columns.map((column, i) =>
    typeof column.width === 'number'
      ? column.width
      : column.width === 'rest'
        ? 0
        : Math.max(widest(column.head), ...rows.map((row) => cellWidth(row, i))),
  );
  const rest = columns.filter((column) => column.width === 'rest').length;
  const left = terminalWidth() - fixed.reduce((sum, n) => sum + n, 0) - gap * (columns.length - 1);
  const widths = columns.map((column, i) =>
    column.width === 'rest' ? Math.max(20, Math.floor(left / rest)) : fixed[i]!,
  );
  const table = new Table({
    head: columns.map((column) => colors.dim(column.head)),
    chars: LINES,
    colWidths: widths,
    colAligns: columns.map((column) => column.align ?? 'left'),
    wordWrap: true,
    style: { 'head': [], 'border': [], 'padding-left': 0, 'padding-right': 0, 'compact': true },
  });
  table.push(...rows.map((row) => row as string[]));
  print(
    table
      .toString()
      .split('\n')
      .map((line) => line.trimEnd())
      .join('\n'),
  );
}

// eslint-disable-next-line no-control-regex
const ANSI = /\u001B\[[0-9;]*m/g;
const widest = (text: string): number =>
  Math.max(
    ...text
      .replace(ANSI, '')
      .split('\n')
      .map((line) => line.length),
  );
const cellWidth = (row: Cell[], i: number): number => {
  const spans = row.some((cell) => typeof cell !== 'string');
  const cell = row[i];
  return spans || typeof cell !== 'string' ? 0 : widest(cell);
};

/** The end of an id, which is enough to name it again. */
export const shortId = (id: string): string => id.slice(-6);

/** A text of other people on one terminal: control characters shown, not obeyed. */
export function harmless(text: string): string {
  // eslint-disable-next-line no-control-regex
  return text.replace(/[\u0000-\u0009\u000B-\u001F\u007F-\u009F\u202A-\u202E\u2066-\u2069]/g, '�');
}

/** `1 comment`, `3 comments`. */
export const plural = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;
