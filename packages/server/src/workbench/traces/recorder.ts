import {
  callFigures,
  nameForeignKeys,
  rowsChanged,
  warningsOf,
  type CallFigures,
  type EndedCall,
  type ForeignKey,
  type RowChange,
  type StatementTrace,
  type Trace,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { CallScope } from '../../ground/traces/call-scope.js';
import type { Rehearsal } from '../../ground/traces/rehearsal.js';
import { Peers } from './peers.js';
import { Plans } from './plans.js';
import { FOREIGN_KEYS, PRIMARY_KEYS } from './queries.js';

/** How many calls a process keeps, and how many bytes of them. */
export interface RingBounds {
  readonly calls: number;
  readonly bytes: number;
}

/** What is known of a call beside what it did to the database. */
export type CallFacts = Omit<
  Trace,
  'id' | 'ms' | 'statements' | 'moreStatements' | 'rows' | 'moreRows' | 'counts' | 'warnings' | 'rehearsed' | 'traceId'
> & {
  /** Null where the call came with none: a new one begins. */
  readonly traceId: string | null;
  /** How many items the reply shows; null for one that is no list. */
  readonly shown: number | null;
};

/** A call as lists show it. */
export type ListedCall = Pick<
  Trace,
  'id' | 'startedAt' | 'method' | 'route' | 'caller' | 'status' | 'ms' | 'rehearsed'
> & {
  readonly statements: number;
  readonly rows: number;
  readonly warnings: number;
};

/** By what calls are chosen; what is left out chooses nothing. */
export interface CallChoice {
  readonly method?: string;
  readonly route?: string;
  /** `nobody`, `operator`, `user`, or a @handle. */
  readonly caller?: string;
  /** `404`, or `4xx`. */
  readonly status?: string;
  readonly minMs?: number;
  readonly minRows?: number;
  readonly warned?: boolean;
  /** Only those that began before. */
  readonly before?: { readonly at: string; readonly id: string };
  readonly limit: number;
}

/** A call that has ended. */
interface Kept {
  readonly scope: CallScope;
  readonly facts: () => CallFacts;
  readonly ms: number;
  known?: CallFacts;
}

type Question = { readonly find: string } | { readonly list: CallChoice } | { readonly figures: number };

const OPEN_MS = 3_000;

/** Writes down what calls do, in a ring that every process finds what it asks for in. */
export class Recorder {
  readonly peers: Peers;
  readonly #dataSource: DataSource;
  readonly #bounds: RingBounds;
  readonly #plans: Plans;
  readonly #wants = (text: string): boolean => this.#plans.wants(text);
  /** Calls under way, each with what tells whoever waits for its end. */
  readonly #open = new Map<string, () => void>();
  readonly #ring = new Map<string, Kept>();
  readonly #slowest = new Map<string, { calls: number; totalMs: number; longestMs: number; rows: number }>();
  #keys = new Map<string, readonly string[]>();
  #foreignKeys: readonly ForeignKey[] = [];
  #bytes = 0;

  /** @param dataSource connections that are not traced themselves */
  constructor(dataSource: DataSource, bounds: RingBounds) {
    this.#dataSource = dataSource;
    this.#bounds = bounds;
    this.#plans = new Plans(dataSource);
    this.peers = new Peers(dataSource, (question) => this.#answer(question as Question));
  }

  /** A call begins. @param id of the request, by which its log lines are known too */
  open(id: string, rehearsal: Rehearsal | null): CallScope {
    const scope = new CallScope(id, rehearsal, this.#wants);
    this.#open.set(id, NOBODY_WAITS);
    return scope;
  }

  /** A call has ended. @param facts asked when somebody looks */
  close(scope: CallScope, facts: () => CallFacts): void {
    scope.over = true;
    this.#ring.set(scope.id, { scope, facts, ms: Math.round((performance.now() - scope.begun) * 1000) / 1000 });
    this.#bytes += scope.bytes;
    this.#plans.want(scope.sent);
    scope.sent = [];
    this.#forgetOldest();
    for (const statement of scope.statements) this.#count(statement);
    const ended = this.#open.get(scope.id);
    this.#open.delete(scope.id);
    ended?.();
  }

  /** A twentieth more than are to be kept, and then these at once: a map is slow to find its first where many before it were taken out. */
  #forgetOldest(): void {
    const { calls, bytes } = this.#bounds;
    if (this.#ring.size <= calls + Math.floor(calls / 20) && this.#bytes <= bytes) return;
    for (const [id, { scope }] of this.#ring) {
      if (this.#ring.size <= calls && this.#bytes <= bytes) break;
      this.#ring.delete(id);
      this.#bytes -= scope.bytes;
    }
  }

  /** The trace of a call, whichever process made it; null for one that nobody keeps. */
  async find(id: string): Promise<Trace | null> {
    return (await this.#own(id)) ?? (await this.peers.ask<Trace>({ find: id } satisfies Question))[0] ?? null;
  }

  /** The calls of every process, the latest first. */
  async list(choice: CallChoice): Promise<ListedCall[]> {
    const others = await this.peers.ask<ListedCall[]>({ list: choice } satisfies Question);
    return [await this.#list(choice), ...others].flat().sort(latestFirst).slice(0, choice.limit);
  }

  /** What calls of every process did in the last so many seconds. */
  async figures(seconds: number): Promise<CallFigures> {
    const others = await this.peers.ask<EndedCall[]>({ figures: seconds } satisfies Question);
    return callFigures([this.#ended(seconds), ...others].flat(), Date.now(), seconds);
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

  async #answer(question: Question): Promise<unknown> {
    if ('find' in question) return (await this.#own(question.find)) ?? undefined;
    if ('list' in question) return this.#list(question.list);
    return this.#ended(question.figures);
  }

  async #own(id: string): Promise<Trace | null> {
    // Its reply may have come before its end was noticed.
    const told = this.#open.get(id);
    if (told)
      await new Promise<void>((resolve) => {
        setTimeout(resolve, OPEN_MS).unref();
        this.#open.set(id, () => {
          told();
          resolve();
        });
      });
    const kept = this.#ring.get(id);
    if (!kept) return null;
    await this.#plans.settled();
    const rows = kept.scope.rows();
    await this.#nameRows(rows);
    const { shown: _, traceId, ...facts } = factsOf(kept);
    const { statements, moreStatements, rehearsal } = kept.scope;
    return {
      id,
      ms: kept.ms,
      ...facts,
      // A trace that begins here is named as its call is.
      traceId: traceId ?? id.replaceAll('-', ''),
      rehearsed: rehearsal !== null,
      statements,
      moreStatements,
      rows,
      moreRows: kept.scope.moreRows(),
      counts: kept.scope.counts(),
      warnings: this.#warnings(kept),
    };
  }

  async #list({ limit, before, ...choice }: CallChoice): Promise<ListedCall[]> {
    await this.#plans.settled();
    const found: ListedCall[] = [];
    for (const kept of [...this.#ring.values()].reverse()) {
      const call = this.#listed(kept);
      if (
        (before === undefined || latestFirst(call, { startedAt: before.at, id: before.id }) > 0) &&
        fits(call, choice)
      )
        found.push(call);
    }
    return found.sort(latestFirst).slice(0, limit);
  }

  #listed(kept: Kept): ListedCall {
    const { startedAt, method, route, caller, status } = factsOf(kept);
    const { id, statements, moreStatements, rehearsal } = kept.scope;
    return {
      id,
      startedAt,
      method,
      route,
      caller,
      status,
      ms: kept.ms,
      statements: statements.length + moreStatements,
      rows: rowsChanged(kept.scope.counts()),
      warnings: this.#warnings(kept).length,
      rehearsed: rehearsal !== null,
    };
  }

  #ended(seconds: number): EndedCall[] {
    const from = Date.now() - seconds * 1000;
    return [...this.#ring.values()].flatMap((kept) => {
      const { startedAt, method, route, status } = factsOf(kept);
      const at = Date.parse(startedAt);
      return at < from || kept.scope.rehearsal ? [] : [{ startedAt: at, method, route, status, ms: kept.ms }];
    });
  }

  #warnings(kept: Kept): Trace['warnings'] {
    const { statements } = kept.scope;
    return warningsOf({
      statements,
      rows: kept.scope.changing(),
      plans: this.#plans.known,
      shown: factsOf(kept).shown,
    });
  }

  /** Gives rows their keys, which are asked for again where a table is new. */
  async #nameRows(rows: readonly RowChange[]): Promise<void> {
    if (rows.some(({ table }) => !this.#keys.has(table))) {
      const tables = await this.#dataSource.query<{ name: string; columns: string[] }[]>(PRIMARY_KEYS);
      this.#keys = new Map(tables.map(({ name, columns }) => [name, columns]));
      this.#foreignKeys = await this.#dataSource.query<ForeignKey[]>(FOREIGN_KEYS);
    }
    nameForeignKeys(rows, this.#foreignKeys);
    for (const row of rows) {
      const values = this.#keys.get(row.table)?.map((column) => (row.after ?? row.before)?.[column]);
      if (values?.every((value) => value !== undefined && value !== null)) row.key = values.map(String).join(',');
    }
  }

  #count({ text, ms, rows }: StatementTrace): void {
    if (this.#slowest.size > 2_000) this.#slowest.clear();
    let seen = this.#slowest.get(text);
    if (!seen) this.#slowest.set(text, (seen = { calls: 0, totalMs: 0, longestMs: 0, rows: 0 }));
    seen.calls++;
    seen.totalMs += ms ?? 0;
    seen.longestMs = Math.max(seen.longestMs, ms ?? 0);
    seen.rows += rows ?? 0;
  }
}

const NOBODY_WAITS = (): void => undefined;

const factsOf = (kept: Kept): CallFacts => (kept.known ??= kept.facts());

type InTime = Pick<ListedCall, 'startedAt' | 'id'>;
const latestFirst = (a: InTime, b: InTime): number =>
  a.startedAt === b.startedAt ? (a.id < b.id ? 1 : a.id > b.id ? -1 : 0) : a.startedAt < b.startedAt ? 1 : -1;

function fits(
  call: ListedCall,
  { method, route, caller, status, minMs = 0, minRows = 0, warned = false }: Omit<CallChoice, 'limit' | 'before'>,
): boolean {
  const who =
    caller === undefined ||
    (caller.startsWith('@') ? call.caller.handle === caller.slice(1) : call.caller.kind === caller);
  const met =
    status === undefined ||
    (status.endsWith('xx')
      ? Math.floor((call.status ?? 0) / 100) === Number(status[0])
      : call.status === Number(status));
  return (
    who &&
    met &&
    (method === undefined || call.method === method) &&
    (route === undefined || call.route === route) &&
    call.ms >= minMs &&
    call.rows >= minRows &&
    (!warned || call.warnings > 0)
  );
}
