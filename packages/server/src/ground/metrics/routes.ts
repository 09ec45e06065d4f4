import { Type } from 'typebox';
import type { App } from '../http/app-type.js';
import { replies } from '../http/replies.js';
import { ref } from '../http/schemas.js';
import type { Metrics } from './metrics.js';

/** What these are made of. */
interface Needs {
  readonly metrics: Metrics;
}

const Alone = Type.Object({
  alone: Type.Boolean({ default: false, description: 'Whether only of the process that answers' }),
});

const MeasurementsSchema = Type.Object(
  {
    items: Type.Array(
      Type.Object({
        name: Type.String(),
        help: Type.String({ description: 'What it is, in words' }),
        kind: Type.String({ description: '`counter`, `gauge` or `histogram`' }),
        values: Type.Array(
          Type.Object({
            labels: Type.Record(Type.String(), Type.String()),
            value: Type.Number({ description: 'Of a histogram the mean of what was observed since the start' }),
            n: Type.Optional(Type.Number({ description: 'Of a histogram how often something was' })),
          }),
        ),
      }),
    ),
  },
  { $id: 'Measurements' },
);

/** What this process measures of itself. */
export function metricRoutes(app: App, { metrics }: Needs): void {
  app.addSchema(MeasurementsSchema);
  app.get(
    '/v1/operator/measurements',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'listMeasurements',
        tags: ['operator'],
        summary:
          'What the service measures of itself, as JSON: the names and values of `/metrics`, without the bounds of histograms',
        querystring: Alone,
        response: replies({ 200: ref(MeasurementsSchema) }),
      },
    },
    async (request) => ({ items: await metrics.measurements(request.query.alone) }),
  );
  const content = { 'application/openmetrics-text': { schema: Type.String() } };
  app.get(
    '/metrics',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readMetrics',
        tags: ['operator'],
        summary: 'What the service measures of itself, as OpenMetrics: all of its processes together',
        querystring: Alone,
        response: replies({ 200: { description: 'Metrics as OpenMetrics text', content } as never }),
      },
    },
    async (request, reply) => {
      const { type, text } = await metrics.text(request.query.alone);
      return reply.type(type).send(text);
    },
  );
}
