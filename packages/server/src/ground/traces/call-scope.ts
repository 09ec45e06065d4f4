import { AsyncLocalStorage } from 'node:async_hooks';
import { type RowChange, type RowCounts, type StatementTrace } from '@gather-lane/core';
import type { Rehearsal } from './rehearsal.js';
import { rowChange, type ToldRow } from './told-rows.js';

/** As many statements and rows of one call are kept; beyond them they are counted. */
const MOST_STATEMENTS = 300;
const MOST_ROWS = 200;
const MOST_BYTES = 256 * 1024;

/** A row that a call changed: which statement did, and whether that was taken back. */
export interface ChangedRow {
  readonly told: ToldRow;
  readonly statement: number;
  undone: boolean;
}

/** What is gathered of a call while it is under way. */
export class CallScope {
  readonly id: string;
  readonly begun = performance.now();
  /** About how many bytes it keeps. */
  bytes = 600;
  readonly statements: StatementTrace[] = [];
  readonly changed: ChangedRow[] = [];
  /** What was sent along with statements, for asking how they are planned. Given up when the call ends. */
  sent: (readonly [text: string, values: readonly unknown[]])[] = [];
  moreStatements = 0;
  moreRows = 0;
  /** The transactions that it opened. */
  transactions = 0;
  /** The trace context that it came with (W3C), as the header has it; undefined for none. */
  traceparent: string | undefined;
  /** Whether it is over: what still comes is none of it. */
  over = false;
  /** Where the whole call is inside a transaction that will be rolled back. */
  readonly rehearsal: Rehearsal | null;
  #beyond: Map<string, RowCounts> | null = null;

  constructor(id: string, rehearsal: Rehearsal | null) {
    this.id = id;
    this.rehearsal = rehearsal;
  }

  /** Keeps a statement. @returns which it is, or -1 for one beyond those that are kept */
  add(statement: StatementTrace, values: readonly unknown[]): number {
    if (this.statements.length >= MOST_STATEMENTS) {
      this.moreStatements++;
      return -1;
    }
    this.sent.push([statement.text, values]);
    this.bytes += 250;
    return this.statements.push(statement) - 1;
  }

  /** Keeps a row that was changed. */
  tell(row: ChangedRow): void {
    if (this.changed.length < MOST_ROWS && this.bytes < MOST_BYTES) {
      this.changed.push(row);
      this.bytes += 300 + row.told.bytes;
      return;
    }
    this.moreRows++;
    count((this.#beyond ??= new Map()), row.told);
  }

  /** Takes a row back: what did it was rolled back. */
  untell(row: ChangedRow): void {
    if (row.undone) return;
    row.undone = true;
    if (this.changed.includes(row)) return;
    this.moreRows--;
    this.#beyond!.get(row.told.table)![row.told.act]--;
  }

  /** The rows that are kept, as they are shown. */
  rows(): RowChange[] {
    return this.changed.map(({ told, statement, undone }) => rowChange(told, statement, undone));
  }

  /** How many rows of each table, those beyond too, without those taken back. */
  counts(): Record<string, RowCounts> {
    const counts = new Map([...(this.#beyond ?? [])].map(([table, beyond]) => [table, { ...beyond }]));
    for (const { told, undone } of this.changed) if (!undone) count(counts, told);
    return Object.fromEntries(counts);
  }
}

function count(counts: Map<string, RowCounts>, { table, act }: ToldRow): void {
  const of = counts.get(table) ?? { inserted: 0, changed: 0, deleted: 0 };
  of[act]++;
  counts.set(table, of);
}

/** For whom code runs: one call, or several whose acts are done together. */
const SCOPES = new AsyncLocalStorage<readonly CallScope[]>();

/** The calls for which the code that asks is running; none where it runs for nobody's, or nothing is traced. */
export const currentScopes = (): readonly CallScope[] => SCOPES.getStore() ?? [];

/** The rehearsal inside which the code that asks is running, if any. */
export const currentRehearsal = (): Rehearsal | null => SCOPES.getStore()?.[0]?.rehearsal ?? null;

/** Does something for a call: whatever it sends to the database is written down there. */
export const runFor = <T>(scopes: readonly CallScope[], work: () => T): T => SCOPES.run(scopes, work);

/** Does something that is begun by a call and is none of it: what goes on after the reply, or for everybody. */
export const aside = <T>(work: () => T): T => (SCOPES.getStore() ? SCOPES.run([], work) : work());
