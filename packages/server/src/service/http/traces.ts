import { maskedPath, readTraceparent } from '@gather-lane/core';
import type { FastifyInstance, FastifyReply, FastifyRequest, preSerializationHookHandler } from 'fastify';
import { currentRehearsal, runFor, type CallScope } from '../../ground/traces/call-scope.js';
import type { CallFacts, Recorder } from '../../workbench/traces/recorder.js';

declare module 'fastify' {
  interface FastifyRequest {
    /** What is written down of the call; null where nothing is. */
    trace: CallScope | null;
    /** The kind of problem that it was answered; null for a good reply. */
    problem: string | null;
    /** How many items its reply lists; null for one that is no list. */
    listed: number | null;
  }
}

/** Looking at what calls did is no call to look at. */
const NOT_TRACED = /^\/v1\/(?:openapi|operator\/(?:traces|activity|calls|proofs|jobs|measurements)\b)/;

/** Writes down what each call of the API does, where that is wanted. To be added before the hooks that ask the database. */
export function useTraces(app: FastifyInstance, recorder: Recorder | null): void {
  app.decorateRequest('trace', null);
  app.decorateRequest('problem', null);
  app.decorateRequest('listed', null);
  if (!recorder) return;
  app.addHook('onRequest', (request, reply, done) => {
    if (!request.url.startsWith('/v1/') || NOT_TRACED.test(request.url)) return done();
    const startedAt = Date.now();
    const scope = recorder.open(request.id, currentRehearsal());
    const { traceparent } = request.headers;
    scope.traceparent = typeof traceparent === 'string' ? traceparent : traceparent?.[0];
    request.trace = scope;
    void reply.header('gather-trace', scope.id);
    reply.raw.on('close', () => recorder.close(scope, factsOf(request, reply, startedAt, scope.traceparent)));
    runFor([scope], done);
  });
  // What arrives of a body arrives in nobody's name.
  app.addHook('preValidation', (request, _reply, done) =>
    request.trace && request.method !== 'GET' ? runFor([request.trace], done) : done(),
  );
  // Only on lists: each hook is a step of every call.
  app.addHook('onRoute', (route) => {
    const { properties = {} } = (route.schema?.querystring ?? {}) as { properties?: object };
    if ('limit' in properties) route.preSerialization = [countItems, ...[route.preSerialization ?? []].flat()];
  });
}

const countItems: preSerializationHookHandler<unknown> = (request, _reply, payload, done) => {
  const items = (payload as { items?: unknown } | null)?.items;
  if (Array.isArray(items)) request.listed = items.length;
  done(null, payload);
};

/** What is to be known of a call, made out when somebody looks: of what came with it nothing else is kept. */
function factsOf(
  request: FastifyRequest,
  reply: FastifyReply,
  startedAt: number,
  traceparent: string | undefined,
): () => CallFacts {
  const { method, url, principal, problem, listed } = request;
  const { url: path, schema } = request.routeOptions;
  const { statusCode, headersSent, writableFinished: answered } = reply.raw;
  // What came is masked before anything of it is kept.
  const masked = maskedPath(url, path ?? '');
  const context = readTraceparent(traceparent);
  return () => {
    const { operationId = null, response } = (schema ?? {}) as {
      operationId?: string;
      response?: Record<number, { content?: object } | undefined>;
    };
    const session = principal?.session ?? null;
    // A stream is ended by whoever reads it: that is no call that was cut off.
    const isStream = 'text/event-stream' in (response?.[200]?.content ?? {});
    return {
      startedAt: new Date(startedAt).toISOString(),
      method,
      route: path?.replace(/:(\w+)/g, '{$1}') ?? 'no route',
      operationId,
      path: masked,
      caller: {
        kind: principal?.caller.kind ?? 'nobody',
        id: session?.userId ?? null,
        handle: session?.handle ?? null,
      },
      // Without its end nobody knows what came of it.
      status: answered || (isStream && headersSent) ? statusCode : null,
      problem,
      traceId: context?.traceId ?? null,
      parentId: context?.parentId ?? null,
      shown: listed,
    };
  };
}
