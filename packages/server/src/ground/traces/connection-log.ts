import { parameterKind, type StatementTrace } from '@gather-lane/core';
import type { CallScope, Outcome } from './call-scope.js';
import { knownText, type KnownText } from './known-text.js';
import { takeIn, type IsShown, type RowsNotice } from './told-rows.js';

/** A statement under way. */
export interface Underway {
  readonly known: KnownText;
  readonly statement: StatementTrace;
  readonly scopes: readonly { readonly scope: CallScope; readonly n: number }[];
  /** Null while it is not said to have changed a row. */
  outcome: Outcome | null;
  readonly begun: number;
}

const SAVES = /^\s*SAVEPOINT\s+(\S+)/i;
const ROLLS_BACK_TO = /^\s*ROLLBACK\s+TO\s+(?:SAVEPOINT\s+)?(\S+)/i;

/**
 * Writes down what goes through one connection, for the calls that it goes through it for; and what of it is taken back, for that
 * depends on how its transaction ends.
 */
export class ConnectionLog {
  readonly #isShown: IsShown;
  /** What the open transaction did so far; null outside of one. */
  #open: Outcome[] | null = null;
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
    const known = knownText(text);
    if (known.control === 'begins') {
      this.#open = [];
      this.#saved.clear();
      this.#number = ++first.transactions;
    }
    const begun = performance.now();
    const statement: StatementTrace = {
      text: known.shown,
      capability: known.capability,
      parameters: values.map(parameterKind),
      at: rounded(begun - first.begun),
      ms: null,
      rows: null,
      changed: 0,
      transaction: this.#number,
      shared: calls.length,
      error: null,
    };
    const scopes = calls.map((scope) => ({ scope, n: scope.add(statement, values) }));
    return { known, statement, scopes, outcome: null, begun };
  }

  /** The database says which rows the statement changed. */
  tell(underway: Underway, notice: RowsNotice): void {
    const rows = takeIn(notice, this.#isShown);
    if (rows.rows === 0) return;
    const outcome = (underway.outcome ??= { undone: false });
    for (const { scope, n } of underway.scopes) scope.tell(rows, n, outcome);
    underway.statement.changed += rows.rows;
  }

  /** The statement has ended. @param rows how many it returned or wrote @param did what PostgreSQL says it did: `ROLLBACK` at the COMMIT of what had failed */
  end({ known, statement, outcome, begun }: Underway, rows: number | null, error: string | null, did?: string): void {
    statement.ms = rounded(performance.now() - begun);
    statement.rows = rows;
    statement.error = error;
    // One that fails leaves nothing of itself; in a transaction it takes along what went before, at the rollback.
    if (outcome && error !== null) outcome.undone = true;
    else if (outcome) this.#open?.push(outcome);
    const { control, text } = known;
    if (control === null || control === 'begins') return;
    const open = this.#open ?? [];
    if (control === 'saves') this.#saved.set(SAVES.exec(text)![1]!, open.length);
    else if (control === 'rolls back to') takeBack(open.splice(this.#saved.get(ROLLS_BACK_TO.exec(text)![1]!) ?? 0));
    else {
      if (control === 'rolls back' || error !== null || did === 'ROLLBACK') takeBack(open);
      this.#close();
    }
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

function takeBack(outcomes: readonly Outcome[]): void {
  for (const outcome of outcomes) outcome.undone = true;
}

const rounded = (ms: number): number => Math.round(ms * 1000) / 1000;
