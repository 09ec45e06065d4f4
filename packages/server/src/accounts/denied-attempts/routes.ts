import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { replies } from '../../ground/http/replies.js';
import { Instant, ref } from '../../ground/http/schemas.js';
import type { DeniedAttempts } from './service.js';

/** What these are made of. */
interface Needs {
  readonly denied: DeniedAttempts;
}

const RefusedSchema = Type.Object(
  {
    routes: Type.Array(
      Type.Object({
        handle: Type.String({ description: 'Who tried' }),
        route: Type.String({ description: 'Method and pattern' }),
        kind: Type.String({ description: 'What kind of thing it was' }),
        attempts: Type.Integer(),
        things: Type.Integer({ description: 'How many different things' }),
        lastAt: Instant,
      }),
    ),
    hours: Type.Array(Type.Object({ hour: Instant, attempts: Type.Integer() })),
  },
  { $id: 'RefusedAttempts' },
);

/** What was tried on somebody else's things, for the operator. */
export function deniedAttemptRoutes(app: App, { denied }: Needs): void {
  app.addSchema(RefusedSchema);
  app.get(
    '/v1/operator/refused-attempts',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'listRefusedAttempts',
        tags: ['operator'],
        summary: 'Attempts on things of somebody else’s, by user and route and by hour',
        querystring: Type.Object({
          hours: Type.Integer({ minimum: 1, maximum: 2160, default: 48, description: 'How far back' }),
        }),
        response: replies({ 200: ref(RefusedSchema) }),
      },
    },
    async (request) => {
      const { routes, hours } = await denied.lately(request.query.hours);
      return {
        routes: routes.map(({ last_at, ...rest }) => ({ ...rest, lastAt: last_at.toISOString() })),
        hours: hours.map(({ hour, attempts }) => ({ hour: hour.toISOString(), attempts })),
      };
    },
  );
}
