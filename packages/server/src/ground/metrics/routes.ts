import { Type } from 'typebox';
import type { App } from '../http/app-type.js';
import { replies } from '../http/replies.js';
import type { Metrics } from './metrics.js';

/** What these are made of. */
interface Needs {
  readonly metrics: Metrics;
}

/** What this process measures of itself. */
export function metricRoutes(app: App, { metrics }: Needs): void {
  const content = { 'application/openmetrics-text': { schema: Type.String() } };
  app.get(
    '/metrics',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readMetrics',
        tags: ['operator'],
        summary: 'What the service measures of itself, as OpenMetrics: all of its processes together',
        querystring: Type.Object({
          alone: Type.Boolean({ default: false, description: 'Whether only of the process that answers' }),
        }),
        response: replies({ 200: { description: 'Metrics as OpenMetrics text', content } as never }),
      },
    },
    async (request, reply) => {
      const { type, text } = await metrics.text(request.query.alone);
      return reply.type(type).send(text);
    },
  );
}
