import { randomBytes } from 'node:crypto';
import { maskedPath, readTraceparent } from '@gather-lane/core';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { currentRehearsal, runFor, type CallScope } from '../../ground/traces/call-scope.js';
import type { Recorder } from '../../workbench/traces/recorder.js';

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
const NOT_TRACED = /^\/v1\/(?:openapi|operator\/(?:traces|activity|calls|proofs)\b)/;

/** Writes down what each call of the API does, where that is wanted. To be added before the hooks that ask the database. */
export function useTraces(app: FastifyInstance, recorder: Recorder | null): void {
  app.decorateRequest('trace', null);
  app.decorateRequest('problem', null);
  app.decorateRequest('listed', null);
  if (!recorder) return;
  recorder.failed = (error) => app.log.warn(error, 'traces could not be kept');
  app.addHook('onRequest', (request, reply, done) => {
    if (!request.url.startsWith('/v1/') || NOT_TRACED.test(request.url)) return done();
    const startedAt = new Date().toISOString();
    const scope = recorder.open(currentRehearsal());
    request.trace = scope;
    void reply.header('gather-trace', scope.id);
    let answered = false;
    reply.raw.once('finish', () => (answered = true));
    reply.raw.once('close', () => recorder.close(scope, { startedAt, ...factsOf(request, reply, answered) }));
    runFor([scope], done);
  });
  // What arrives of a body arrives in nobody's name.
  app.addHook('preValidation', (request, _reply, done) => (request.trace ? runFor([request.trace], done) : done()));
  app.addHook('preSerialization', async (request, _reply, payload) => {
    const { items } = (payload ?? {}) as { items?: unknown };
    if (Array.isArray(items)) request.listed = items.length;
    return payload;
  });
}

function factsOf(request: FastifyRequest, reply: FastifyReply, answered: boolean) {
  const { method, url, routeOptions, principal, problem, listed, headers } = request;
  const route = routeOptions.url?.replace(/:(\w+)/g, '{$1}') ?? null;
  const context = readTraceparent([headers.traceparent].flat()[0]);
  const session = principal?.session ?? null;
  const { operationId = null } = (routeOptions.schema ?? {}) as { operationId?: string };
  return {
    method,
    route: route ?? 'no route',
    operationId,
    path: maskedPath(url, route ?? ''),
    caller: { kind: principal?.caller.kind ?? 'nobody', id: session?.userId ?? null, handle: session?.handle ?? null },
    status: answered || streams(reply) ? reply.raw.statusCode : null,
    problem,
    traceId: context?.traceId ?? randomBytes(16).toString('hex'),
    parentId: context?.parentId ?? null,
    shown: listed,
  } as const;
}

/** A stream is ended by whoever reads it: that is no call that was cut off. */
const streams = ({ raw }: FastifyReply): boolean =>
  raw.headersSent && String(raw.getHeader('content-type') ?? '').startsWith('text/event-stream');
