import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { Writable } from 'node:stream';
import { context, propagation, SpanKind, SpanStatusCode, trace } from '@opentelemetry/api';
import { AsyncLocalStorageContextManager } from '@opentelemetry/context-async-hooks';
import { W3CTraceContextPropagator } from '@opentelemetry/core';
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

// A provider as whoever runs the service registers one before it starts.

const exporter = new InMemorySpanExporter();
const lines: Record<string, unknown>[] = [];
let service: TestService;
let ann: Actor;
beforeAll(async () => {
  context.setGlobalContextManager(new AsyncLocalStorageContextManager().enable());
  propagation.setGlobalPropagator(new W3CTraceContextPropagator());
  trace.setGlobalTracerProvider(new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(exporter)] }));
  const logStream = new Writable({
    write: (chunk, _encoding, done) => {
      for (const line of String(chunk).split('\n').filter(Boolean)) lines.push(JSON.parse(line) as never);
      done();
    },
  });
  service = await startTestService({ environment: { GATHER_LANE_LOG_LEVEL: 'info' }, app: { logStream } });
  ann = await service.user();
});
afterAll(async () => {
  await service.stop();
  for (const api of [context, propagation, trace]) api.disable();
});

const TRACE = '0af7651916cd43dd8448eb211c80319c';
const PARENT = 'b7ad6b7169203331';
const traceparent = `00-${TRACE}-${PARENT}-01`;

/** A call with its span and those of its statements, once the call has ended. */
const spansOf = async (method: string, path: string, body?: object, headers: Record<string, string> = {}) => {
  exporter.reset();
  const { status } = await service.call(method, path, { as: ann, ...(body && { body }), headers });
  const call = () => exporter.getFinishedSpans().find(({ kind }) => kind === SpanKind.SERVER);
  while (!call()) await new Promise((resolve) => setImmediate(resolve));
  const { traceId, spanId } = call()!.spanContext();
  const statements = exporter
    .getFinishedSpans()
    .filter(({ kind, parentSpanContext }) => kind === SpanKind.CLIENT && parentSpanContext?.spanId === spanId);
  return { status, call: call()!, traceId, statements };
};

describe('a call', () => {
  test('is a span by its route, with its statements below it, and goes on the trace that it came with', async () => {
    const { call, traceId, statements } = await spansOf('GET', `/v1/users/${ann.id}`, undefined, { traceparent });
    expect(call.name).toBe('GET /v1/users/{user}');
    expect([traceId, call.parentSpanContext?.spanId]).toEqual([TRACE, PARENT]);
    expect(call.attributes).toMatchObject({
      'http.request.method': 'GET',
      'http.route': '/v1/users/{user}',
      'http.response.status_code': 200,
    });
    expect(statements.length).toBeGreaterThan(1);
    for (const { attributes, name } of statements) {
      expect(attributes).toMatchObject({ 'db.system.name': 'postgresql', 'db.operation.name': name });
      expect(String(attributes['db.query.text'])).not.toContain(ann.id);
    }
  });

  test('that sends a body has its statements too, and one by itself begins a trace', async () => {
    const { status, traceId, statements } = await spansOf('PATCH', `/v1/users/${ann.id}`, { name: 'Ann of the Lock' });
    expect(status).toBe(200);
    expect(traceId).not.toBe(TRACE);
    expect(statements.map(({ name }) => name)).toContain('UPDATE');
    const page = await spansOf('GET', '/v1/feeds/following');
    expect(page.statements.map(({ attributes }) => String(attributes['db.query.text'])).join()).toContain(
      'WITH entries',
    );
  });

  test('has its own statements, whoever opened the connections that they go through', async () => {
    // The first page makes the key of cursors, of which the next one hears: then the token is read anew.
    for (let page = 0; page < 3; page++) await spansOf('GET', '/v1/feeds/following');
    exporter.reset();
    const traces = Array.from({ length: 40 }, (_, i) => i.toString(16).padStart(32, 'a'));
    const call = (id: string) =>
      service.call('GET', '/v1/feeds/following', { as: ann, headers: { traceparent: `00-${id}-${PARENT}-01` } });
    await Promise.all(traces.map(call));
    const calls = () => exporter.getFinishedSpans().filter(({ kind }) => kind === SpanKind.SERVER);
    while (calls().length < traces.length) await new Promise((resolve) => setImmediate(resolve));
    for (const id of traces) {
      const below = exporter.getFinishedSpans().filter((span) => span.spanContext().traceId === id);
      const texts = below.map(({ attributes }) => String(attributes['db.query.text']));
      expect(texts.filter((text) => text.startsWith('WITH entries'))).toHaveLength(1);
      expect(texts.filter((text) => text.includes('signing_keys'))).toHaveLength(1);
    }
  });

  test('that is refused is no error of the service; where nothing is, no more than its method is said', async () => {
    const { call } = await spansOf('GET', '/v1/nowhere/secret-words');
    expect([call.name, call.status.code, call.attributes['http.response.status_code']]).toEqual([
      'GET',
      SpanStatusCode.UNSET,
      404,
    ]);
    expect(JSON.stringify(call.attributes)).not.toContain('secret-words');
  });
});

test('log lines of a call have its id, and the trace that it came with where that is one', async () => {
  const linesOf = async (headers: Record<string, string>) => {
    lines.length = 0;
    await spansOf('GET', '/v1/posts', undefined, headers);
    return lines.filter(({ reqId }) => typeof reqId === 'string');
  };
  const told = await linesOf({ traceparent });
  expect(told.length).toBeGreaterThan(0);
  expect(new Set(told.map(({ traceId }) => traceId))).toEqual(new Set([TRACE]));
  const wrong = await linesOf({ traceparent: 'not one' });
  expect(wrong.length).toBeGreaterThan(0);
  expect(wrong.filter((line) => 'traceId' in line)).toEqual([]);
});
