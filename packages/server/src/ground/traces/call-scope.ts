import { type RowChange, type RowCounts, type StatementTrace } from '@gather-lane/core';
import { makeContext } from './promise-context.js';
import type { Rehearsal } from './rehearsal.js';
import { rowChanges, type RowsOf, type ToldRows } from './told-rows.js';

/** As many statements and rows of one call are kept; beyond them they are counted. */
const MOST_STATEMENTS = 300;
const MOST_ROWS = 200;
const MOST_BYTES = 256 * 1024;

/** What became of a statement that changed rows: whether it was taken back. */
export interface Outcome {
  undone: boolean;
}

/** Rows that a statement of a call changed. */
interface Told {
  readonly rows: ToldRows;
  readonly statement: number;
  readonly outcome: Outcome;
}

/** What is gathered of a call while it is under way. */
export class CallScope {
  readonly id: string;
  readonly begun = performance.now();
  /** About how many bytes it keeps. */
  bytes = 600;
  readonly statements: StatementTrace[] = [];
  /** What was sent along with statements of which it is wanted how they are planned. Given up when the call ends. */
  sent: (readonly [text: string, values: readonly unknown[]])[] = [];
  readonly #wants: (text: string) => boolean;
  moreStatements = 0;
  /** The transactions that it opened. */
  transactions = 0;
  /** The trace context that it came with (W3C), as the header has it; undefined for none. */
  traceparent: string | undefined;
  /** Whether it is over: what still comes is none of it. */
  over = false;
  /** Where the whole call is inside a transaction that will be rolled back. */
  readonly rehearsal: Rehearsal | null;
  readonly #told: Told[] = [];
  /** Of those beyond, how many each statement changed. */
  #beyond: Map<Outcome, RowsOf[]> | null = null;
  #kept = 0;

  /** @param wants whether it is wanted how a statement is planned; of none unless said */
  constructor(id: string, rehearsal: Rehearsal | null, wants = (_text: string): boolean => false) {
    this.id = id;
    this.#wants = wants;
    this.rehearsal = rehearsal;
  }

  /** Keeps a statement. @returns which it is, or -1 for one beyond those that are kept */
  add(statement: StatementTrace, values: readonly unknown[]): number {
    if (this.statements.length >= MOST_STATEMENTS) {
      this.moreStatements++;
      return -1;
    }
    if (this.#wants(statement.text)) this.sent.push([statement.text, values]);
    this.bytes += 250;
    return this.statements.push(statement) - 1;
  }

  /** Keeps rows that a statement changed. */
  tell(rows: ToldRows, statement: number, outcome: Outcome): void {
    if (this.#kept < MOST_ROWS && this.bytes < MOST_BYTES) {
      this.#told.push({ rows, statement, outcome });
      this.#kept += rows.rows;
      this.bytes += 200 + rows.text.length;
      return;
    }
    const all = (this.#beyond ??= new Map<Outcome, RowsOf[]>());
    const beyond = all.get(outcome) ?? [];
    all.set(outcome, merged([...beyond, ...rows.counts]));
    if (beyond.length === 0) this.bytes += 200;
  }

  /** The statements that changed rows. */
  changing(): { statement: number; undone: boolean }[] {
    return this.#told.map(({ statement, outcome: { undone } }) => ({ statement, undone }));
  }

  /** The rows that are kept, as they are shown. */
  rows(): RowChange[] {
    const told = this.#told.flatMap(({ rows, statement, outcome }) => rowChanges(rows, statement, outcome.undone));
    return told.slice(0, MOST_ROWS);
  }

  /** How many rows there are beyond those that are kept, without those taken back. */
  moreRows(): number {
    let [before, more] = [0, 0];
    for (const { rows: told, outcome } of this.#told) {
      const rows = told.rows;
      if (!outcome.undone) more += Math.max(0, before + rows - Math.max(before, MOST_ROWS));
      before += rows;
    }
    for (const [{ undone }, counts] of this.#beyond ?? []) if (!undone) for (const { rows } of counts) more += rows;
    return more;
  }

  /** How many rows of each table, those beyond too, without those taken back. */
  counts(): Record<string, RowCounts> {
    const all = [
      ...this.#told.map(({ rows, outcome }) => [outcome, rows.counts] as const),
      ...(this.#beyond ?? []),
    ] as const;
    const counts: Record<string, RowCounts> = {};
    for (const [{ undone }, each] of all)
      if (!undone)
        for (const { table, act, rows } of each)
          (counts[table] ??= { inserted: 0, changed: 0, deleted: 0 })[act] += rows;
    return counts;
  }
}

/** One for each table and act. */
function merged(counts: readonly RowsOf[]): RowsOf[] {
  const sums = new Map<string, RowsOf>();
  for (const { table, act, rows } of counts) {
    const name = `${table} ${act}`;
    sums.set(name, { table, act, rows: rows + (sums.get(name)?.rows ?? 0) });
  }
  return [...sums.values()];
}

/** For whom code runs: one call, or several whose acts are done together. */
const SCOPES = makeContext<readonly CallScope[]>();

/** The calls for which the code that asks is running; none where it runs for nobody's, or nothing is traced. */
export const currentScopes = (): readonly CallScope[] => SCOPES.getStore() ?? [];

/** The rehearsal inside which the code that asks is running, if any. */
export const currentRehearsal = (): Rehearsal | null => SCOPES.getStore()?.[0]?.rehearsal ?? null;

/** Does something for a call: whatever it sends to the database is written down there. */
export const runFor = <T>(scopes: readonly CallScope[], work: () => T): T => SCOPES.run(scopes, work);

/** Does something that is begun by a call and is none of it: what goes on after the reply, or for everybody. */
export const aside = <T>(work: () => T): T => (SCOPES.getStore() ? SCOPES.run([], work) : work());
