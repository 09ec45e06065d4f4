import { createHash } from 'node:crypto';

/**
 * How it is heard how far into the log a write reaches, where that is not asked along with it: what follows a write tells it, in the column
 * `reaches` of each row, and whoever wrote waits for that.
 */
export type Reach = 'is told' | 'is told by what follows';

/** How a statement that matters is sent. */
export interface Prepared {
  /** Under which it is prepared. */
  readonly name: string;
  /** Whether its instants come as the API writes them, and not as a `Date`. */
  readonly textInstants: boolean;
  /** Whether it writes. A function that does is called in a transaction. */
  readonly writes: boolean;
  readonly reach: Reach | undefined;
}

/** What is said of a statement as it is marked. */
interface Marked {
  readonly textInstants?: boolean;
  readonly reach?: Reach;
}

/** A statement that changes rows. */
export const WRITES = /^\s*(?:INSERT|UPDATE|DELETE|TRUNCATE|WITH\b[\s\S]*\b(?:INSERT INTO|UPDATE|DELETE FROM)\b)/i;

/** Statements that are prepared by name, by their text. */
const PREPARED = new Map<string, Prepared>();

/**
 * Marks a statement that is run again and again and always takes the same parameters: it is then prepared by name on each
 * connection, and planned once instead of each time. Only the few statements that matter; never one with a varying number
 * of parameters.
 * @param textInstants whether its instants come as the API writes them ({@link InstantText}), and not as a `Date`
 * @returns the statement itself
 */
export function prepared(sql: string, { textInstants = false, reach }: Marked = {}): string {
  if (!PREPARED.has(sql)) {
    const name = `gl_${createHash('sha256').update(sql).digest('hex').slice(0, 16)}`;
    PREPARED.set(sql, { name, textInstants, writes: WRITES.test(sql), reach });
  }
  return sql;
}

/** How a statement is sent that was marked so; undefined for one that was not. */
export const preparedAs = (sql: string): Prepared | undefined => PREPARED.get(sql);

/** As many choices of one statement are kept and prepared; beyond them it is made anew each time. */
const MOST_CHOICES = 64;

/** Keeps what a function of a few choices makes: the same choice gives the same statement, and it is looked up quickly. */
export function perChoice<A extends readonly (string | number | boolean)[]>(
  make: (...choice: A) => string,
  how: Marked = {},
): (...choice: A) => string {
  const made = new Map<string, string>();
  return (...choice) => {
    const key = choice.join(' ');
    const kept = made.get(key);
    if (kept !== undefined) return kept;
    const sql = make(...choice);
    if (made.size >= MOST_CHOICES) return sql;
    made.set(key, prepared(sql, how));
    return sql;
  };
}
