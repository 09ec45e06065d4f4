import { STATEMENTS, STATEMENTS_SENT } from './channels.js';

/** Begins to measure a statement. @returns what is to be told whether it failed, once it has ended; null where nobody measures */
export function measuring(sql: string): ((failed: boolean) => void) | null {
  if (!STATEMENTS.hasSubscribers) return null;
  const begun = performance.now();
  const sent = { sql, seconds: 0, failed: false };
  if (STATEMENTS_SENT.hasSubscribers) STATEMENTS_SENT.publish(sent);
  return (failed) => {
    sent.seconds = (performance.now() - begun) / 1000;
    sent.failed = failed;
    STATEMENTS.publish(sent);
  };
}

/** Tells whoever measures of a statement, once it has ended. @returns its answer, as it is */
export function measured<T>(sql: string, answer: Promise<T>): Promise<T> {
  const tell = measuring(sql);
  if (tell)
    answer.then(
      () => tell(false),
      () => tell(true),
    );
  return answer;
}

/** The first word of a statement: what it does. */
export const verbOf = (sql: string): string => /^\s*(?:--.*\n\s*)*([A-Za-z]+)/.exec(sql)?.[1]?.toUpperCase() ?? 'OTHER';
