import { createHash } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { rowsChanged, warningsOf, type PlanFacts, type StatementTrace, type Trace } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { CallScope } from '../../ground/traces/call-scope.js';
import type { Rehearsal } from '../../ground/traces/rehearsal.js';
import { Plans } from './plans.js';
import { FIND_TEXTS, FIND_TRACE, FORGET_BEYOND, KEEP_TEXTS, KEEP_TRACES, PRIMARY_KEYS } from './queries.js';

/** How many calls a process keeps, and how many bytes of them. */
export interface RingBounds {
  readonly calls: number;
  readonly bytes: number;
}

/** What is known of a call beside what it did to the database. */
export type CallFacts = Omit<
  Trace,
  'id' | 'ms' | 'statements' | 'moreStatements' | 'rows' | 'moreRows' | 'counts' | 'warnings' | 'rehearsed'
> & {
  /** How many items the reply shows; null for one that is no list. */
  readonly shown: number | null;
};

/** A call that has ended and is not kept yet. */
interface Ended {
  readonly scope: CallScope;
  readonly facts: CallFacts;
  readonly ms: number;
}

/** A statement as it is kept: its text stands apart. */
type KeptStatement = Omit<StatementTrace, 'text'> & { readonly hash: string };

const KEEP_AFTER_MS = 120;
/** More than so many that wait are let go: whoever calls does not wait for what is written of it. */
const MOST_WAITING = 2_000;
const MOST_AT_ONCE = 200;
/** After so many that were kept the ring is looked at. */
const LOOK_EVERY = 200;
const TEXTS_GOOD_MS = 3_600_000;
/** The most that is kept of one call. */
const MOST_BYTES = 256 * 1024;
/** A call that has just been answered is looked for so long. */
const FIND_WITHIN_MS = 3_000;

/** Writes down what calls do, beside them, and keeps the latest where every process finds them. */
export class Recorder {
  /** This process, among those that keep traces. */
  readonly process = uuidv7();
  /** Hears of what could not be kept: no call fails by it. */
  failed: (error: unknown) => void = () => undefined;
  readonly #dataSource: DataSource;
  readonly #bounds: RingBounds;
  readonly #plans: Plans;
  readonly #open = new Set<string>();
  readonly #texts = new Map<string, { readonly hash: string; keptAt: number }>();
  readonly #slowest = new Map<string, { calls: number; totalMs: number; longestMs: number; rows: number }>();
  #keys = new Map<string, readonly string[]>();
  #waiting: Ended[] = [];
  #keeping: Promise<void> | null = null;
  #timer: NodeJS.Timeout | null = null;
  #sinceLook = 0;

  /** @param dataSource connections that are not traced themselves */
  constructor(dataSource: DataSource, bounds: RingBounds) {
    this.#dataSource = dataSource;
    this.#bounds = bounds;
    this.#plans = new Plans(dataSource);
  }

  /** A call begins. */
  open(rehearsal: Rehearsal | null): CallScope {
    const scope = new CallScope(uuidv7(), rehearsal);
    this.#open.add(scope.id);
    return scope;
  }

  /** A call has ended; what it did is kept soon. */
  close(scope: CallScope, facts: CallFacts): void {
    scope.over = true;
    this.#open.delete(scope.id);
    this.#count(scope.statements);
    if (this.#waiting.length >= MOST_WAITING) this.#waiting.shift();
    this.#waiting.push({ scope, facts, ms: Math.round((performance.now() - scope.begun) * 1000) / 1000 });
    this.#timer ??= setTimeout(() => void this.keep(), KEEP_AFTER_MS).unref();
  }

  /** Keeps what has ended by now. */
  async keep(): Promise<void> {
    if (this.#timer) clearTimeout(this.#timer);
    this.#timer = null;
    while (this.#keeping) await this.#keeping;
    if (this.#waiting.length === 0) return;
    this.#keeping = this.#keepAll().catch((error: unknown) => this.failed(error));
    await this.#keeping;
    this.#keeping = null;
  }

  /** The trace of a call, whichever process made it; null for one that is not kept, or no more. */
  async find(id: string): Promise<Trace | null> {
    const until = Date.now() + FIND_WITHIN_MS;
    for (;;) {
      if (!this.#open.has(id)) await this.keep();
      const [row] = await this.#dataSource.query<{ body: string }[]>(FIND_TRACE, [id]);
      if (row) return this.#read(row.body);
      // It may be on its way, here or in another process.
      if (!isNew(id) || Date.now() > until) return null;
      await pause(40);
    }
  }

  /** The statements that took longest in all, as this process saw them. */
  slowest(): { text: string; calls: number; meanMs: number; longestMs: number; rows: number }[] {
    return [...this.#slowest]
      .sort(([, a], [, b]) => b.totalMs - a.totalMs)
      .slice(0, 20)
      .map(([text, { calls, totalMs, longestMs, rows }]) => ({
        text,
        calls,
        meanMs: totalMs / calls,
        longestMs,
        rows,
      }));
  }

  async #keepAll(): Promise<void> {
    while (this.#waiting.length > 0) {
      const batch = this.#waiting.slice(0, MOST_AT_ONCE);
      this.#waiting = this.#waiting.slice(MOST_AT_ONCE);
      const sent = new Map(batch.flatMap(({ scope }) => [...scope.sent]));
      const plans = await this.#plans.of(sent);
      for (const { scope } of batch) scope.sent.clear();
      await this.#nameRows(batch);
      await this.#keepTexts(batch);
      await this.#keepBatch(batch.map((each) => this.#traceOf(each, plans)));
      this.#sinceLook += batch.length;
      if (this.#sinceLook < Math.min(LOOK_EVERY, this.#bounds.calls)) continue;
      this.#sinceLook = 0;
      await this.#dataSource.query(FORGET_BEYOND, [this.process, this.#bounds.calls, this.#bounds.bytes]);
    }
  }

  /** Gives rows their keys, which are asked for again where a table is new. */
  async #nameRows(batch: readonly Ended[]): Promise<void> {
    const rows = batch.flatMap(({ scope }) => scope.rows);
    if (rows.some(({ table }) => !this.#keys.has(table))) {
      const tables = await this.#dataSource.query<{ name: string; columns: string[] }[]>(PRIMARY_KEYS);
      this.#keys = new Map(tables.map(({ name, columns }) => [name, columns]));
    }
    for (const row of rows) {
      const values = this.#keys.get(row.table)?.map((column) => (row.after ?? row.before)?.[column]);
      if (values?.every((value) => value !== undefined && value !== null)) row.key = values.map(String).join(',');
    }
  }

  #traceOf({ scope, facts: { shown, ...facts }, ms }: Ended, plans: ReadonlyMap<string, PlanFacts>): Trace {
    const { id, statements, moreStatements, rows, moreRows, rehearsal } = scope;
    const warnings = warningsOf({ statements, rows, plans, shown });
    const rest = { id, ms, moreStatements, moreRows, counts: scope.counts(), warnings, rehearsed: rehearsal !== null };
    return { ...facts, ...rest, statements, rows };
  }

  async #keepTexts(batch: readonly Ended[]): Promise<void> {
    const now = Date.now();
    const missing = new Map<string, string>();
    for (const { scope } of batch)
      for (const { text } of scope.statements) {
        const known = this.#texts.get(text);
        if (known && known.keptAt > now - TEXTS_GOOD_MS) continue;
        const hash = known?.hash ?? hashOf(text);
        if (this.#texts.size > 5_000) this.#texts.clear();
        this.#texts.set(text, { hash, keptAt: now });
        missing.set(hash, text);
      }
    if (missing.size === 0) return;
    try {
      await this.#dataSource.query(KEEP_TEXTS, [[...missing.keys()], [...missing.values()]]);
    } catch (error) {
      // They are kept with the next.
      for (const text of missing.values()) this.#texts.delete(text);
      throw error;
    }
  }

  async #keepBatch(traces: readonly Trace[]): Promise<void> {
    const column = <T>(value: (trace: Trace) => T): T[] => traces.map(value);
    await this.#dataSource.query(KEEP_TRACES, [
      this.process,
      column(({ id }) => id),
      column(({ startedAt }) => startedAt),
      column(({ method }) => method),
      column(({ route }) => route),
      column(({ caller }) => caller.kind),
      column(({ caller }) => caller.id),
      column(({ caller }) => caller.handle),
      column(({ status }) => status),
      column(({ ms }) => ms),
      column(({ statements, moreStatements }) => statements.length + moreStatements),
      column(({ counts }) => rowsChanged(counts)),
      column(({ warnings }) => warnings.length),
      column(({ rehearsed }) => rehearsed),
      column((trace) => this.#write(trace)),
    ]);
  }

  /** A trace as it is kept: within bounds, its texts apart. */
  #write(trace: Trace): string {
    const kept = trace.statements.map(({ text, ...rest }): KeptStatement => ({
      hash: this.#texts.get(text)?.hash ?? hashOf(text),
      ...rest,
    }));
    for (let most = trace.rows.length; ; most = Math.floor(most / 2)) {
      const rows = trace.rows.slice(0, most);
      const moreRows = trace.moreRows + trace.rows.length - most;
      const text = JSON.stringify({ ...trace, statements: kept, rows, moreRows });
      if (text.length <= MOST_BYTES || most === 0) return text;
    }
  }

  async #read(body: string): Promise<Trace> {
    const { statements, ...trace } = JSON.parse(body) as Omit<Trace, 'statements'> & { statements: KeptStatement[] };
    const hashes = [...new Set(statements.map(({ hash }) => hash))];
    const rows = await this.#dataSource.query<{ hash: string; text: string }[]>(FIND_TEXTS, [hashes]);
    const texts = new Map(rows.map(({ hash, text }) => [hash, text]));
    return { ...trace, statements: statements.map(({ hash, ...rest }) => ({ text: texts.get(hash) ?? '', ...rest })) };
  }

  #count(statements: readonly StatementTrace[]): void {
    for (const { text, ms, rows } of statements) {
      if (this.#slowest.size > 2_000) this.#slowest.clear();
      const seen = this.#slowest.get(text) ?? { calls: 0, totalMs: 0, longestMs: 0, rows: 0 };
      this.#slowest.set(text, seen);
      seen.calls++;
      seen.totalMs += ms ?? 0;
      seen.longestMs = Math.max(seen.longestMs, ms ?? 0);
      seen.rows += rows ?? 0;
    }
  }
}

const hashOf = (text: string): string => createHash('sha256').update(text).digest('hex').slice(0, 24);

/** Whether an id was made within the last half minute: a UUIDv7 begins with its milliseconds. */
const isNew = (id: string): boolean => Date.now() - Number.parseInt(id.replaceAll('-', '').slice(0, 12), 16) < 30_000;
