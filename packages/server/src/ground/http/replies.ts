import type { TSchema } from 'typebox';
import { ownedKind, type DoorwayRule } from '@gather-lane/core';
import { PROBLEMS, type ProblemCode } from './problem-catalogue.js';
import { ProblemSchema, ref } from './schemas.js';

const BY_RULE = (rule: DoorwayRule): ProblemCode[] => {
  if (rule === 'anyone') return ['bad-token', 'wrong-principal'];
  const refused: ProblemCode[] = ['not-signed-in', 'bad-token', 'wrong-principal'];
  if (rule === 'moderator') return [...refused, 'moderators-only'];
  return ownedKind(rule) ? [...refused, 'not-found', 'not-yours', 'stale'] : refused;
};

/**
 * Every reply that a route can give, for the API document and for serialisation: the good ones, the
 * problems that follow from its rule, and `more` of its own. Those that every route shares the document adds.
 */
export function replies<T extends Record<number, TSchema>>(rule: DoorwayRule, good: T, more: ProblemCode[] = []): T {
  return { ...good, ...problemReplies([...BY_RULE(rule), ...more]) };
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
