import { STATEMENTS } from './channels.js';

/** Tells whoever measures of a statement, once it has ended. @returns its answer, as it is */
export function measured<T>(sql: string, answer: Promise<T>): Promise<T> {
  if (!STATEMENTS.hasSubscribers) return answer;
  const begun = performance.now();
  const tell = (failed: boolean) => STATEMENTS.publish({ sql, seconds: (performance.now() - begun) / 1000, failed });
  answer.then(
    () => tell(false),
    () => tell(true),
  );
  return answer;
}

/** The first word of a statement: what it does. */
export const verbOf = (sql: string): string => /^\s*(?:--.*\n\s*)*([A-Za-z]+)/.exec(sql)?.[1]?.toUpperCase() ?? 'OTHER';
