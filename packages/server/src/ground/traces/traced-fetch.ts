import { readTraceparent, writeTraceparent } from '@gather-lane/core';
import { currentScopes } from './call-scope.js';

/** What a library gives to the fetch that it is handed, whichever types it knows it by. */
interface FetchOptions {
  readonly headers?: Headers | Record<string, string>;
}

/** `fetch`, which passes on the trace context of the call that it is made for: its trace, with the call as the span that it is of. */
export function tracedFetch(url: string | URL, options: FetchOptions = {}): Promise<Response> {
  const [scope] = currentScopes();
  if (!scope) return fetch(url, options);
  const id = scope.id.replaceAll('-', '');
  const headers = new Headers(options.headers);
  headers.set('traceparent', writeTraceparent(readTraceparent(scope.traceparent)?.traceId ?? id, id.slice(16)));
  return fetch(url, { ...options, headers });
}
