import type { TSchema } from 'typebox';
import { PROBLEMS, type ProblemCode } from './problem-catalogue.js';
import { ProblemSchema, ref } from './schemas.js';

/**
 * Every reply that is a route's own, for the API document and for serialisation: the good ones, and its problems. Those that
 * follow from its rule, and those that every route shares, the document adds.
 */
export function replies<T extends Record<number, TSchema>>(good: T, problems: ProblemCode[] = []): T {
  return { ...good, ...problemReplies(problems) };
}

/** Replies by their status, each with the problems that it can be. */
export function problemReplies(
  codes: readonly ProblemCode[],
): Record<number, { description: string; content: object }> {
  const byStatus = new Map<number, string[]>();
  for (const code of codes) {
    const { status, title } = PROBLEMS[code];
    byStatus.set(status, [...new Set([...(byStatus.get(status) ?? []), `${title} (\`${code}\`)`])]);
  }
  const problems = [...byStatus].map(([status, titles]) => [
    status,
    { description: titles.join('; '), content: { 'application/problem+json': { schema: ref(ProblemSchema) } } },
  ]);
  return Object.fromEntries(problems) as Record<number, { description: string; content: object }>;
}
