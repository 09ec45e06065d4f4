// Load over HTTP: calls taken in turn from a list, for so many seconds.
import autocannon from 'autocannon';

/**
 * @param calls each with path and token, or with method, body and headers too
 * @returns calls a second, and milliseconds at the median, the 95th and 99th of a hundred
 */
export async function load(address, calls, { connections, seconds, rate }) {
  const requests = calls.map(({ method = 'GET', path, token, body, headers }) => ({
    method,
    path,
    headers: { authorization: `Bearer ${token}`, ...(body && { 'content-type': 'application/json' }), ...headers },
    ...(body && { body: JSON.stringify(body) }),
  }));
  const times = [];
  const running = autocannon({
    url: address,
    connections,
    duration: seconds,
    requests,
    ...(rate && { overallRate: Math.max(1, Math.round(rate)) }),
  });
  running.on('response', (_client, _status, _bytes, ms) => times.push(ms));
  const { non2xx, errors } = await running;
  if (non2xx > 0 || errors > 0) throw new Error(`${non2xx} calls were refused and ${errors} failed: ${calls[0].path}`);
  // Where not one was answered in time, it is taken that all under way were about to be.
  return { perSecond: (times.length || connections) / seconds, ...percentiles(times) };
}

/** The middle one of some figures. */
export const median = (list) => [...list].sort((a, b) => a - b)[list.length >> 1];

/** Median, 95th and 99th of a hundred. */
export function percentiles(times) {
  const sorted = [...times].sort((a, b) => a - b);
  const at = (share) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? 0;
  return { p50: at(0.5), p95: at(0.95), p99: at(0.99) };
}

/** Shuffled by a fixed rule, so that neighbours are not of one viewer. */
export const mixed = (list) =>
  list
    .map((item, i) => [(i * 7_919) % list.length, item])
    .sort(([a], [b]) => a - b)
    .map(([, item]) => item);
