import type { PlanFacts } from './plan-facts.js';
import type { RowChange, StatementTrace, TraceWarning } from './trace.js';

/** So often is the same statement sent by one call before a reviewer speaks of it. */
const REPEATED = 5;
/** A table with so many rows is large: reading it from end to end for a call is worth a remark. */
const LARGE = 1_000;
/** So many rows without a limit are a list that grows with the data. */
const UNBOUNDED = 100;
/** So many times more rows read than shown. */
const FACTOR = 100;

/** What is known of a call where it is reviewed. */
export interface Reviewed {
  readonly statements: readonly StatementTrace[];
  readonly rows: readonly Pick<RowChange, 'statement' | 'undone'>[];
  /** What the plans say, by the texts of statements. */
  readonly plans: ReadonlyMap<string, PlanFacts>;
  /** How many items the reply shows; null for a reply that is no list. */
  readonly shown: number | null;
}

/** What a reviewer would say of a call, the gravest first. */
export function warningsOf(call: Reviewed): TraceWarning[] {
  return [...repeated(call), ...scans(call), ...unbounded(call), ...apart(call), ...readsMore(call)];
}

/** The texts that were sent, each with the places at which. What is sent for several calls together is nobody's loop. */
function byText(statements: readonly StatementTrace[]): Map<string, number[]> {
  const places = new Map<string, number[]>();
  statements.forEach(({ text, shared }, n) => {
    if (shared > 1 || /^\s*(?:BEGIN|START|COMMIT|ROLLBACK|SAVEPOINT|RELEASE|SET)\b/i.test(text)) return;
    places.set(text, [...(places.get(text) ?? []), n]);
  });
  return places;
}

function* repeated({ statements }: Reviewed): Generator<TraceWarning> {
  for (const places of byText(statements).values())
    if (places.length >= REPEATED)
      yield {
        kind: 'repeated',
        says: `The same statement was sent ${places.length} times, once for each row: send it once, for all of them.`,
        statements: places,
      };
}

function* scans({ statements, plans }: Reviewed): Generator<TraceWarning> {
  for (const [text, places] of byText(statements))
    for (const { table, rows } of plans.get(text)?.scans ?? [])
      if (rows >= LARGE)
        yield {
          kind: 'scan',
          says: `${table} is read from end to end, all ${rows} rows of it: no index serves this statement.`,
          statements: places,
        };
}

function* unbounded({ statements, plans }: Reviewed): Generator<TraceWarning> {
  for (const [text, places] of byText(statements)) {
    const most = Math.max(...places.map((n) => statements[n]!.rows ?? 0));
    // Rows that were asked for by a list of keys are as many as the caller named.
    const keyed = places.some((n) => statements[n]!.parameters.some((kind) => listLength(kind) >= most));
    if (most >= UNBOUNDED && /^\s*(?:SELECT|WITH)\b/i.test(text) && plans.get(text)?.limited === false && !keyed)
      yield {
        kind: 'no-limit',
        says: `${most} rows came, and nothing limits how many: the list grows with the data. Read it page by page.`,
        statements: places,
      };
  }
}

const listLength = (kind: string): number => Number(/^list of (\d+)$/.exec(kind)?.[1] ?? -1);

/** Writes that each commit by themselves: what fails between two of them leaves the first. */
function* apart({ statements, rows }: Reviewed): Generator<TraceWarning> {
  const wrote = [...new Set(rows.filter(({ undone }) => !undone).map(({ statement }) => statement))];
  const alone = wrote.filter((n) => statements[n]?.transaction === null && statements[n].shared === 1);
  const transactions = new Set(wrote.map((n) => statements[n]?.transaction).filter((each) => typeof each === 'number'));
  if (alone.length > 0 && alone.length + transactions.size > 1)
    yield {
      kind: 'apart',
      says: `${alone.length === 1 ? 'A statement writes' : `${alone.length} statements write`} outside the transaction of what else this call writes: what fails in between leaves half of it.`,
      statements: alone,
    };
}

function* readsMore({ statements, plans, shown }: Reviewed): Generator<TraceWarning> {
  for (const [text, places] of byText(statements)) {
    const facts = plans.get(text);
    const returned = Math.max(1, ...places.map((n) => statements[n]!.rows ?? 0));
    const wanted = shown !== null && returned > UNBOUNDED ? Math.max(1, Math.min(shown, returned)) : returned;
    const read = Math.max(facts?.looked ?? 0, shown === null ? 0 : returned);
    if (read >= LARGE && read >= FACTOR * wanted)
      yield {
        kind: 'reads-more',
        says: `${read} rows were read for ${wanted === 1 ? 'one' : `${wanted}`} that ${wanted === 1 ? 'is' : 'are'} shown.`,
        statements: places,
      };
  }
}
