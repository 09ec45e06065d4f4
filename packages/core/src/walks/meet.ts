import type { RowChange } from '../traces/trace.js';
import { escaped, filled, valueAt, type Known } from './values.js';
import type { ExpectedRows, Expectation, Json } from './walk.js';

/** What came otherwise than was expected. */
export interface Difference {
  /** Where: `status`, `body/items/0/id`, `rows/posts/inserted`. */
  readonly at: string;
  readonly expected: Json;
  /** Undefined for what is not there. */
  readonly came: Json | undefined;
}

/** What came of a call. */
export interface CameOf {
  readonly status: number;
  readonly body: Json | undefined;
  /** The rows that it changed; null where nobody could see them. */
  readonly rows: readonly RowChange[] | null;
  /** Where the body does not fit the schema that is expected of it. */
  readonly unfit: readonly Difference[];
}

/** What of an expectation is not met, the first thing first. @throws MissingValue */
export function differences(expect: Expectation, came: CameOf, known: Known): Difference[] {
  return [
    ...ofStatus(expect, came),
    ...ofProblem(expect, came),
    ...(expect.body === undefined ? [] : ofValue(filled(expect.body, known), came.body, 'body', false)),
    ...Object.entries(expect.values ?? {}).flatMap(([pointer, value]) =>
      ofValue(filled(value, known), valueAt(came.body, pointer), `body${pointer}`, true),
    ),
    ...came.unfit,
    ...ofRows(expect, came, known),
  ];
}

function ofStatus({ status }: Expectation, came: CameOf): Difference[] {
  if (status === undefined || [status].flat().includes(came.status)) return [];
  return [{ at: 'status', expected: status, came: came.status }];
}

function ofProblem({ problem }: Expectation, { body }: CameOf): Difference[] {
  if (problem === undefined) return [];
  const type = valueAt(body, '/type');
  const last = typeof type === 'string' ? type.split('/').at(-1) : undefined;
  return last === problem ? [] : [{ at: 'problem', expected: problem, came: last }];
}

/** @param whole whether objects may have nothing but what is expected */
function ofValue(expected: Json, came: Json | undefined, at: string, whole: boolean): Difference[] {
  const different: Difference[] = [{ at, expected, came }];
  if (typeof expected !== 'object' || expected === null) return expected === came ? [] : different;
  if (typeof came !== 'object' || came === null || Array.isArray(came) !== Array.isArray(expected)) return different;
  if (Array.isArray(expected)) {
    const [wanted, there] = [expected as readonly Json[], came as readonly Json[]];
    if (wanted.length !== there.length) return different;
    return wanted.flatMap((each, i) => ofValue(each, there[i], `${at}/${i}`, whole));
  }
  const [wanted, there] = [expected as Record<string, Json>, came as Record<string, Json>];
  const more = whole ? Object.keys(there).filter((name) => !Object.hasOwn(wanted, name)) : [];
  if (more.length > 0) return different;
  return Object.entries(wanted).flatMap(([name, value]) =>
    ofValue(value, Object.hasOwn(there, name) ? there[name] : undefined, `${at}/${escaped(name)}`, whole),
  );
}

function ofRows({ rows: expected }: Expectation, { rows }: CameOf, known: Known): Difference[] {
  if (expected === undefined) return [];
  if (rows === null)
    return [
      {
        at: 'rows',
        expected: 'rows that can be seen',
        came: 'none: the reply names no trace that the operator could read',
      },
    ];
  const acts = ['inserted', 'changed', 'deleted'] as const;
  return Object.entries(expected).flatMap(([table, of]) =>
    acts.flatMap((act) => {
      const there = rows.filter((row) => row.act === act && !row.undone && sharedName(row.table) === sharedName(table));
      return ofActs(of[act] ?? 0, there, `rows/${table}/${act}`, known);
    }),
  );
}

/** Every weighting has a table of standings, all alike. */
const sharedName = (table: string): string => table.replace(/^standings_\d+$/, 'standings');

function ofActs(expected: ExpectedRows, rows: readonly RowChange[], at: string, known: Known): Difference[] {
  const came = rows.map(({ before, after }) => (after ?? before) as Json);
  if (typeof expected === 'number') return rows.length === expected ? [] : [{ at, expected, came }];
  const wanted = filled(expected, known) as readonly Json[];
  const left = [...came];
  const missing = wanted.filter((row) => {
    const found = left.findIndex((each) => ofValue(row, each, at, false).length === 0);
    if (found >= 0) left.splice(found, 1);
    return found < 0;
  });
  return missing.length === 0 && left.length === 0 ? [] : [{ at, expected: wanted, came }];
}
