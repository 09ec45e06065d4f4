import { subscribe, unsubscribe } from 'node:diagnostics_channel';
import {
  context,
  propagation,
  ProxyTracerProvider,
  ROOT_CONTEXT,
  SpanKind,
  SpanStatusCode,
  trace,
  type Context,
  type Span,
} from '@opentelemetry/api';
import type { FastifyInstance } from 'fastify';
import { STATEMENTS, STATEMENTS_SENT, type SentStatement } from '../../ground/metrics/channels.js';
import { verbOf } from '../../ground/metrics/measured.js';

declare module 'fastify' {
  interface FastifyRequest {
    /** In which its statements are sent; null where nobody makes anything of spans. */
    spanContext: Context | null;
  }
}

/** Whoever runs the service registers a provider before it starts, as with `node --import`; without one nothing is spent. */
function isProvided(): boolean {
  const provider = trace.getTracerProvider();
  return (
    !(provider instanceof ProxyTracerProvider) || provider.getDelegate() !== new ProxyTracerProvider().getDelegate()
  );
}

const tracer = () => trace.getTracer('gather-lane');

/**
 * Makes a span of each call, and of each statement that it sends, by the conventions of OpenTelemetry. No value that comes with a call or a
 * statement is in them. To be added before the hooks that ask the database.
 */
export function useSpans(app: FastifyInstance): void {
  app.decorateRequest('spanContext', null);
  if (!isProvided()) return;
  app.addHook('onRequest', (request, reply, done) => {
    const from = propagation.extract(ROOT_CONTEXT, request.headers);
    const { method } = request;
    const route = request.routeOptions.url?.replace(/:(\w+)/g, '{$1}');
    const span = tracer().startSpan(
      route === undefined ? method : `${method} ${route}`,
      {
        kind: SpanKind.SERVER,
        attributes: {
          'http.request.method': method,
          ...(route !== undefined && { 'http.route': route }),
          'url.scheme': request.protocol,
          'gather_lane.request.id': request.id,
        },
      },
      from,
    );
    reply.raw.once('close', () => endCall(span, reply.raw.statusCode));
    request.spanContext = trace.setSpan(from, span);
    context.with(request.spanContext, done);
  });
  // What arrives of a body arrives in nobody's name.
  app.addHook('preValidation', (request, _reply, done) =>
    request.spanContext && request.method !== 'GET' ? context.with(request.spanContext, done) : done(),
  );
  // That a statement has ended is noticed on its connection, which is nobody's.
  const parents = new WeakMap<object, Context>();
  const sent = (message: unknown) => {
    const parent = context.active();
    if (trace.getSpan(parent)) parents.set(message as object, parent);
  };
  const heard = (message: unknown) => {
    const parent = parents.get(message as object);
    if (parent) spanOf(message as SentStatement, parent);
  };
  subscribe(STATEMENTS_SENT.name, sent);
  subscribe(STATEMENTS.name, heard);
  app.addHook('onClose', () => {
    unsubscribe(STATEMENTS_SENT.name, sent);
    unsubscribe(STATEMENTS.name, heard);
  });
}

function endCall(span: Span, status: number): void {
  span.setAttribute('http.response.status_code', status);
  if (status >= 500) span.setStatus({ code: SpanStatusCode.ERROR });
  span.end();
}

/** A statement is heard of once it has ended: its span begins in the past. One that no call sent has none. */
function spanOf({ sql, seconds, failed }: SentStatement, parent: Context): void {
  const now = Date.now();
  const verb = verbOf(sql);
  const span = tracer().startSpan(
    verb,
    {
      kind: SpanKind.CLIENT,
      startTime: now - seconds * 1000,
      attributes: { 'db.system.name': 'postgresql', 'db.operation.name': verb, 'db.query.text': sql.trim() },
    },
    parent,
  );
  if (failed) span.setStatus({ code: SpanStatusCode.ERROR });
  span.end(now);
}
