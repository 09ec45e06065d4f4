import type { QueryClient } from '@tanstack/react-query';

type Patch = (thing: Record<string, unknown>) => Record<string, unknown>;

/** Changes one post or comment wherever it is listed, in place: without a call, and without a place of its own to drift. */
export function patchEverywhere(queryClient: QueryClient, id: string, patch: Patch): void {
  queryClient.setQueriesData({}, (data: unknown) => patched(data, id, patch));
}

function patched(value: unknown, id: string, patch: Patch): unknown {
  if (Array.isArray(value))
    return sameOr(
      value,
      value.map((item) => patched(item, id, patch)),
    );
  if (typeof value !== 'object' || value === null) return value;
  const thing = value as Record<string, unknown>;
  if (thing.id === id && 'tallies' in thing && 'reaction' in thing) return patch(thing);
  // Only where pages and lists keep their things.
  for (const key of ['pages', 'items', 'replies'] as const) {
    if (!(key in thing)) continue;
    const inner = patched(thing[key], id, patch);
    if (inner !== thing[key]) return { ...thing, [key]: inner };
  }
  return value;
}

const sameOr = (before: unknown[], after: unknown[]): unknown[] =>
  after.every((item, i) => item === before[i]) ? before : after;
