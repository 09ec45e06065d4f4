import { createHash } from 'node:crypto';

/** Statements that are prepared by name, by their text. */
const NAMES = new Map<string, string>();

/**
 * Marks a statement that is run again and again and always takes the same parameters: it is then prepared by name on each
 * connection, and planned once instead of each time. Only the few statements that matter; never one with a varying number
 * of parameters.
 * @returns the statement itself
 */
export function prepared(sql: string): string {
  if (!NAMES.has(sql)) NAMES.set(sql, `gl_${createHash('sha256').update(sql).digest('hex').slice(0, 16)}`);
  return sql;
}

/** The name under which a statement is prepared, or undefined for one that is not. */
export const preparedName = (sql: string): string | undefined => NAMES.get(sql);

/** As many choices of one statement are kept and prepared; beyond them it is made anew each time. */
const MOST_CHOICES = 64;

/** Keeps what a function of a few choices makes: the same choice gives the same statement, and it is looked up quickly. */
export function perChoice<A extends readonly (string | number)[]>(
  make: (...choice: A) => string,
): (...choice: A) => string {
  const made = new Map<string, string>();
  return (...choice) => {
    const key = choice.join(' ');
    const kept = made.get(key);
    if (kept !== undefined) return kept;
    const sql = make(...choice);
    if (made.size >= MOST_CHOICES) return sql;
    made.set(key, prepared(sql));
    return sql;
  };
}
