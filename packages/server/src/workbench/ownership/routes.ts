import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { closed, Instant, orNull, ref, type Of } from '../../ground/http/schemas.js';
import type { OwnershipCheck, OwnershipResult } from './service.js';
import type { Operation } from './try-route.js';

/** What these are made of. */
interface Needs {
  readonly ownership: OwnershipCheck;
}

const CheckSchema = Type.Object(
  {
    startedAt: Instant,
    endedAt: Instant,
    calls: Type.Integer({ description: 'How many calls were made' }),
    faults: Type.Integer(),
    routes: Type.Array(
      Type.Object({
        operationId: Type.String(),
        method: Type.String(),
        path: Type.String(),
        rule: Type.String({ description: 'As the running service declares it' }),
        faults: Type.Array(Type.String({ description: 'What is wrong with the route as a whole' })),
        cells: Type.Array(
          Type.Object({
            role: Type.String({ enum: ['nobody', 'another', 'blocked', 'owner', 'moderator', 'operator'] }),
            expected: Type.String({ description: '`let-in`, or the reason of the refusal' }),
            status: orNull(Type.Integer({ description: 'Null where it was not tried' })),
            problem: orNull(Type.String()),
            kept: Type.Boolean({ description: 'Whether what is the owner’s stayed as it was' }),
            says: orNull(Type.String({ description: 'What was wrong, or why it was not tried' })),
            fault: Type.Boolean(),
          }),
        ),
      }),
    ),
  },
  { $id: 'OwnershipCheck' },
);

const viewOf = ({ startedAt, endedAt, ...rest }: OwnershipResult): Of<typeof CheckSchema> => ({
  ...rest,
  startedAt: startedAt.toISOString(),
  endedAt: endedAt.toISOString(),
});

/** Routes of the ownership check. */
export function ownershipRoutes(app: App, { ownership }: Needs): void {
  app.addSchema(CheckSchema);

  app.post(
    '/v1/operator/ownership-checks',
    {
      config: { lasting: 'it makes calls of its own', doorway: 'operator' },
      schema: {
        operationId: 'runOwnershipCheck',
        tags: ['operator'],
        summary: 'Try every route as everybody, on throw-away users, and say what was expected and what happened',
        body: closed({
          only: Type.Optional(
            Type.Array(Type.String({ maxLength: 100 }), { description: 'Operations to try; all unless said' }),
          ),
        }),
        response: replies({ 200: ref(CheckSchema) }, [
          'invalid',
          'under-way',
          'wrong-origin',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request) => {
      const { only } = request.body;
      const { port } = app.server.address() as { port: number };
      const all = operationsOf(app);
      const unknown = only?.findIndex((name) => !all.some(({ operationId }) => operationId === name)) ?? -1;
      if (unknown >= 0) throw invalid(`/only/${unknown}`, 'names no operation of the API document');
      const chosen = only ? all.filter(({ operationId }) => only.includes(operationId)) : all;
      return viewOf(await ownership.run(`http://127.0.0.1:${port}`, chosen));
    },
  );

  app.get(
    '/v1/operator/ownership-checks/latest',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readOwnershipCheck',
        tags: ['operator'],
        summary: 'What the latest ownership check found',
        response: replies({ 200: ref(CheckSchema) }, ['not-found']),
      },
    },
    async () => {
      const last = await ownership.last();
      if (!last) throw new Problem('not-found', 'No ownership check has been run yet.');
      return viewOf(last);
    },
  );
}

/** The routes of the API document, in its order. */
function operationsOf(app: App): Operation[] {
  const { paths } = app.swagger() as unknown as {
    paths: Record<string, Record<string, { 'operationId': string; 'x-doorway': string }>>;
  };
  return Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, operation]) => ({
      operationId: operation.operationId,
      method: method.toUpperCase(),
      path,
      rule: operation['x-doorway'],
    })),
  );
}
