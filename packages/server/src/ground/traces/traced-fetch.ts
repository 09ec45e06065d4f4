import { readTraceparent, writeTraceparent } from '@gather-lane/core';
import { currentScopes } from './call-scope.js';

/** `fetch`, which passes on the trace context of the call that it is made for: its trace, with the call as the span that it is of. */
export const tracedFetch: typeof fetch = (input, init) => {
  const [scope] = currentScopes();
  if (!scope) return fetch(input, init);
  const id = scope.id.replaceAll('-', '');
  const headers = new Headers(init?.headers ?? (input instanceof Request ? input.headers : undefined));
  headers.set('traceparent', writeTraceparent(readTraceparent(scope.traceparent)?.traceId ?? id, id.slice(16)));
  return fetch(input, { ...init, headers });
};
