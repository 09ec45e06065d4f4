/** What figures are made of: a call that has ended. */
export interface EndedCall {
  /** Milliseconds since 1970. */
  readonly startedAt: number;
  readonly method: string;
  readonly route: string;
  /** Null for one that was cut off. */
  readonly status: number | null;
  readonly ms: number;
}

/** How calls of one route went. */
export interface RouteFigures {
  readonly method: string;
  readonly route: string;
  readonly calls: number;
  /** Answered 5xx, or cut off. */
  readonly failed: number;
  /** Answered 4xx. */
  readonly refused: number;
  readonly p50: number;
  readonly p95: number;
  readonly p99: number;
}

/** Calls of the last so many seconds, as figures. */
export interface CallFigures {
  /** When the first of them began, in milliseconds since 1970; null where there is none. */
  readonly since: number | null;
  readonly calls: number;
  readonly perSecond: number;
  /** Equal parts of the time, the oldest first. */
  readonly parts: { calls: number; errors: number }[];
  /** Those with the most calls first. */
  readonly routes: RouteFigures[];
}

const PARTS = 30;

/** @param now milliseconds since 1970 */
export function callFigures(all: readonly EndedCall[], now: number, seconds: number): CallFigures {
  const from = now - seconds * 1000;
  const calls = all.filter(({ startedAt }) => startedAt > from && startedAt <= now);
  const parts = Array.from({ length: PARTS }, () => ({ calls: 0, errors: 0 }));
  const byRoute = new Map<string, EndedCall[]>();
  for (const call of calls) {
    const part = parts[Math.min(PARTS - 1, Math.floor(((call.startedAt - from) / (seconds * 1000)) * PARTS))]!;
    part.calls++;
    if (call.status === null || call.status >= 400) part.errors++;
    const name = `${call.method} ${call.route}`;
    const of = byRoute.get(name);
    if (of) of.push(call);
    else byRoute.set(name, [call]);
  }
  const since = calls.length > 0 ? Math.min(...calls.map(({ startedAt }) => startedAt)) : null;
  const lasted = since === null ? seconds : Math.max(1, (now - since) / 1000);
  const routes = [...byRoute.values()].map(ofRoute);
  routes.sort((a, b) => b.calls - a.calls || (a.route < b.route ? -1 : 1));
  return { since, calls: calls.length, perSecond: calls.length / lasted, parts, routes };
}

function ofRoute(calls: readonly EndedCall[]): RouteFigures {
  const { method, route } = calls[0]!;
  const times = calls.map(({ ms }) => ms).sort((a, b) => a - b);
  const count = (fits: (status: number | null) => boolean) => calls.filter(({ status }) => fits(status)).length;
  return {
    method,
    route,
    calls: calls.length,
    failed: count((status) => status === null || status >= 500),
    refused: count((status) => status !== null && status >= 400 && status < 500),
    p50: quantile(times, 0.5),
    p95: quantile(times, 0.95),
    p99: quantile(times, 0.99),
  };
}

/** The least value that so large a share is not above (the nearest rank); of a sorted list. */
export const quantile = (sorted: readonly number[], share: number): number =>
  sorted[Math.max(0, Math.ceil(share * sorted.length) - 1)] ?? 0;
