import type { TSchema } from 'typebox';
import { ownedKind, type DoorwayRule } from '@gather-lane/core';
import { PROBLEMS, type ProblemCode } from './problem-catalogue.js';
import { ProblemSchema, ref } from './schemas.js';

const BY_RULE = (rule: DoorwayRule): ProblemCode[] => {
  if (rule === 'anyone') return ['bad-token'];
  const refused: ProblemCode[] = ['not-signed-in', 'wrong-principal'];
  if (rule === 'moderator') return [...refused, 'moderators-only'];
  return ownedKind(rule) ? [...refused, 'not-found', 'not-yours', 'stale'] : refused;
};

/**
 * Every reply that a route can give, for the API document and for serialisation: the good ones, the
 * problems that follow from its rule, those that every route shares, and `more` of its own.
 */
export function replies<T extends Record<number, TSchema>>(rule: DoorwayRule, good: T, more: ProblemCode[] = []): T {
  const codes: ProblemCode[] = ['malformed', 'internal', 'not-ready', ...BY_RULE(rule), ...more];
  const byStatus = new Map<number, string[]>();
  for (const code of codes) {
    const { status, title } = PROBLEMS[code];
    byStatus.set(status, [...new Set([...(byStatus.get(status) ?? []), `${title} (\`${code}\`)`])]);
  }
  const problems = [...byStatus].map(([status, titles]) => [
    status,
    { description: titles.join('; '), content: { 'application/problem+json': { schema: ref(ProblemSchema) } } },
  ]);
  return { ...good, ...(Object.fromEntries(problems) as object) };
}
