import { parameterKind, type StatementTrace } from '@gather-lane/core';
import type { CallScope, ChangedRow } from './call-scope.js';
import { toldRows, type IsShown, type RowsNotice } from './told-rows.js';
import { whoseStatement } from './whose-statement.js';

/** A call's part in what a connection does. */
interface Told {
  readonly scope: CallScope;
  readonly row: ChangedRow;
}

/** A statement under way. */
export interface Underway {
  readonly text: string;
  readonly statement: StatementTrace;
  readonly scopes: readonly { readonly scope: CallScope; readonly n: number }[];
  readonly told: Told[];
  readonly begun: number;
}

/** Longer statements are shortened. */
const LONGEST_TEXT = 8_000;
/** What begins or ends a transaction, or a part of one. */
const CONTROLS = /^\s*(?:COMMIT|END|ROLLBACK|SAVEPOINT)\b/i;
const BEGINS = /^\s*(?:BEGIN|START TRANSACTION)/i;
const COMMITS = /^\s*(?:COMMIT|END)\b/i;
const ROLLS_BACK = /^\s*ROLLBACK(?!\s+TO\b)/i;
const SAVES = /^\s*SAVEPOINT\s+(\S+)/i;
const ROLLS_BACK_TO = /^\s*ROLLBACK\s+TO\s+(?:SAVEPOINT\s+)?(\S+)/i;

/**
 * Writes down what goes through one connection, for the calls that it goes through it for; and what of it is taken back, for that
 * depends on how its transaction ends.
 */
export class ConnectionLog {
  readonly #isShown: IsShown;
  /** What the open transaction did so far; null outside of one. */
  #open: Told[] | null = null;
  #number: number | null = null;
  readonly #saved = new Map<string, number>();

  constructor(isShown: IsShown) {
    this.#isShown = isShown;
  }

  /** A statement is sent. @param holders the calls for which the connection is held @returns null where it is for nobody's */
  begin(text: string, values: readonly unknown[], holders: readonly CallScope[]): Underway | null {
    const calls = holders.some((scope) => scope.over) ? holders.filter((scope) => !scope.over) : holders;
    const first = calls[0];
    if (!first) return null;
    if (BEGINS.test(text)) {
      this.#open = [];
      this.#saved.clear();
      this.#number = ++first.transactions;
    }
    const statement: StatementTrace = {
      text: text.length > LONGEST_TEXT ? `${text.slice(0, LONGEST_TEXT)}…` : text,
      capability: whoseStatement(text),
      parameters: values.map(parameterKind),
      at: rounded(performance.now() - first.begun),
      ms: null,
      rows: null,
      changed: 0,
      transaction: this.#number,
      shared: calls.length,
      error: null,
    };
    const scopes = calls.map((scope) => ({ scope, n: scope.add(statement, values) }));
    return { text, statement, scopes, told: [], begun: performance.now() };
  }

  /** The database says which rows the statement changed. */
  tell({ scopes, told, statement }: Underway, notice: RowsNotice): void {
    for (const read of toldRows(notice, this.#isShown)) {
      for (const { scope, n } of scopes) {
        const row = { told: read, statement: n, undone: false };
        scope.tell(row);
        told.push({ scope, row });
      }
      statement.changed++;
    }
  }

  /** The statement has ended. @param rows how many it returned or wrote @param did what PostgreSQL says it did: `ROLLBACK` at the COMMIT of what had failed */
  end({ text, statement, told, begun }: Underway, rows: number | null, error: string | null, did?: string): void {
    statement.ms = rounded(performance.now() - begun);
    statement.rows = rows;
    statement.error = error;
    // One that fails leaves nothing of itself; in a transaction it takes along what went before, at the rollback.
    if (error !== null) takeBack(told);
    else this.#open?.push(...told);
    if (!CONTROLS.test(text)) return;
    const saved = SAVES.exec(text)?.[1];
    if (saved !== undefined) this.#saved.set(saved, this.#open?.length ?? 0);
    const to = ROLLS_BACK_TO.exec(text)?.[1];
    if (to !== undefined && this.#open) takeBack(this.#open.splice(this.#saved.get(to) ?? 0));
    if (ROLLS_BACK.test(text) || (COMMITS.test(text) && (error !== null || did === 'ROLLBACK')))
      takeBack(this.#open ?? []);
    if (ROLLS_BACK.test(text) || COMMITS.test(text)) this.#close();
  }

  /** The connection is gone, or handed on: a transaction that stands open then is rolled back. */
  abandon(): void {
    takeBack(this.#open ?? []);
    this.#close();
  }

  #close(): void {
    this.#open = null;
    this.#number = null;
    this.#saved.clear();
  }
}

function takeBack(told: readonly Told[]): void {
  for (const { scope, row } of told) scope.untell(row);
}

const rounded = (ms: number): number => Math.round(ms * 1000) / 1000;
