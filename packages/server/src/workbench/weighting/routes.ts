import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { replies } from '../../ground/http/replies.js';
import { aside } from '../../ground/traces/call-scope.js';
import { ref } from '../../ground/http/schemas.js';
import type { Weightings } from './service.js';
import type { Users } from '../../accounts/users/service.js';
import { adoptBody, trialBody, TrialSchema, WeightingList, WeightingSchema } from './schema.js';

/** What these are made of. */
interface Needs {
  readonly weighting: Weightings;
  readonly users: Users;
}

const params = Type.Object({
  weighting: Type.Integer({ minimum: 1, maximum: 2_147_483_647, description: 'Its version' }),
});
const BODY = ['invalid', 'wrong-origin', 'too-large', 'wrong-media-type'] as const;

/** Routes of weightings, for the operator. */
export function weightingRoutes(app: App, { weighting: weightings, users }: Needs): void {
  for (const schema of [WeightingSchema, WeightingList, TrialSchema]) app.addSchema(schema);

  app.get(
    '/v1/operator/weightings',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'listWeightings',
        tags: ['operator'],
        summary: 'The weightings that ever were, newest first: who, when, what, and what it did',
        response: replies({ 200: ref(WeightingList) }),
      },
    },
    async () => ({ items: await weightings.list(), next: null }),
  );

  app.get(
    '/v1/operator/weightings/:weighting',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readWeighting',
        tags: ['operator'],
        summary: 'One weighting, and how far its building is',
        params,
        response: replies({ 200: ref(WeightingSchema) }, ['not-found']),
      },
    },
    (request) => weightings.one(request.params.weighting),
  );

  app.post(
    '/v1/operator/weighting-trials',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'tryWeighting',
        tags: ['operator'],
        summary: 'What other numbers would do, to one viewer’s feed and to a sample of viewers; nothing is written',
        body: trialBody,
        response: replies({ 200: ref(TrialSchema) }, ['not-found', ...BODY]),
      },
    },
    async (request) => {
      const { viewer, depth, sample, ...wanted } = request.body;
      const id = viewer === undefined ? null : await users.requireAny(viewer);
      return weightings.try(wanted, id === null ? null : { id, handle: await users.handleOf(id) }, { depth, sample });
    },
  );

  app.post(
    '/v1/operator/weightings',
    {
      config: { lasting: 'standings are built beside the call', doorway: 'operator' },
      schema: {
        operationId: 'adoptWeighting',
        tags: ['operator'],
        summary: 'Adopt other numbers: a new version is built in the background, then put in force',
        body: adoptBody,
        response: replies({ 202: ref(WeightingSchema) }, ['under-way', ...BODY]),
      },
    },
    async (request, reply) => {
      const { note, by, ...wanted } = request.body;
      const id = await weightings.adopt(wanted, { note, by });
      request.log.warn({ id, by }, 'a weighting is being adopted');
      void aside(() => weightings.build()).catch((error: unknown) => request.log.error(error));
      return reply.code(202).send(await weightings.one(id));
    },
  );

  app.delete(
    '/v1/operator/weightings/:weighting',
    {
      config: { lasting: 'it ends what is built beside the call', doorway: 'operator' },
      schema: {
        operationId: 'cancelWeighting',
        tags: ['operator'],
        summary: 'Cancel a weighting that is being built; feeds go on as they are',
        params,
        response: replies({ 204: Type.Null() }, ['not-found', 'wrong-origin']),
      },
    },
    async (request, reply) => {
      await weightings.cancel(request.params.weighting);
      return reply.code(204).send(null);
    },
  );
}
