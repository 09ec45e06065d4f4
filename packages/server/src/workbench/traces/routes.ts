import { Type } from 'typebox';
import type { DataSource } from 'typeorm';
import type { App } from '../../ground/http/app-type.js';
import { instantOf, linkNext, type Pages } from '../../ground/http/pagination.js';
import { Problem } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { replies } from '../../ground/http/replies.js';
import { ref, Uuid } from '../../ground/http/schemas.js';
import { readActivity } from './activity.js';
import type { Recorder } from './recorder.js';
import { ActivitySchema, TracedCallSchema, TracedCallsSchema, TraceSchema, tracesQuery } from './schema.js';

/** What these are made of. */
interface Needs {
  /** Null where nothing is traced. */
  readonly recorder: Recorder | null;
  readonly database: DataSource;
  readonly pages: Pages;
  readonly address: PublicAddress;
}

/** Routes of what calls did. */
export function traceRoutes(app: App, { recorder, database, pages, address }: Needs): void {
  for (const schema of [TraceSchema, TracedCallSchema, TracedCallsSchema, ActivitySchema]) app.addSchema(schema);
  /** @throws Problem `not-traced` */
  const tracing = (): Recorder => {
    if (!recorder)
      throw new Problem(
        'not-traced',
        'This service writes down nothing of its calls: set `traces.on` and start it again.',
      );
    return recorder;
  };

  app.get(
    '/v1/operator/traces',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'listTraces',
        tags: ['operator'],
        summary: 'The calls that were made, the latest first, of every process',
        querystring: tracesQuery,
        response: replies({ 200: ref(TracedCallsSchema) }, ['not-traced', 'bad-cursor']),
      },
    },
    async (request, reply) => {
      const { limit, after, ...choice } = request.query;
      const page = { limit, ...(after !== undefined && { after }) };
      const list = `traces:${Object.entries(choice).sort().flat().join(':')}`;
      const recorder = tracing();
      const from = await pages.startOf(list, page);
      const before = from && { at: instantOf(from)!, id: from.id };
      const calls = await recorder.list({ ...choice, limit: limit + 1, ...(before && { before }) });
      const made = await pages.toPage(
        list,
        page,
        calls,
        ({ startedAt }) => Date.parse(startedAt),
        (call) => call,
      );
      linkNext(request, reply, address.base, made.next);
      return made;
    },
  );

  app.get(
    '/v1/operator/traces/:trace',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readTrace',
        tags: ['operator'],
        summary: 'What a call did: its statements, and the rows that it changed, before and after',
        params: Type.Object({ trace: Uuid }),
        response: replies({ 200: ref(TraceSchema) }, ['not-traced', 'not-found']),
      },
    },
    async (request) => {
      const trace = await tracing().find(request.params.trace.toLowerCase());
      if (!trace)
        throw new Problem(
          'not-found',
          'There is no trace of this id: it was never made, newer calls took its place, or the process that made it has ended.',
        );
      return trace as never;
    },
  );

  app.get(
    '/v1/operator/activity',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readActivity',
        tags: ['operator'],
        summary: 'What calls did lately, as figures: how many, how long, and the slowest statements',
        querystring: Type.Object({
          seconds: Type.Integer({ minimum: 10, maximum: 86_400, default: 300, description: 'How far back to look' }),
        }),
        response: replies({ 200: ref(ActivitySchema) }, ['not-traced']),
      },
    },
    (request) => readActivity(database, tracing(), request.query.seconds),
  );
}
