import type { ApiDocument } from '@gather-lane/core';
import type { App } from '../../ground/http/app-type.js';
import { PASS_HEADER } from '../../ground/http/own-check.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { ref } from '../../ground/http/schemas.js';
import { Calls, type CallParts } from './service.js';
import { CallOutcomesSchema, CallsWish, ProofSchema, ProofWish } from './schema.js';

/** What these are made of. */
type Needs = Omit<CallParts, 'recorder' | 'inject' | 'document'> & {
  /** Null where nothing is traced. */
  readonly recorder: CallParts['recorder'] | null;
  /** Whether the operator may act as a user. */
  readonly actsAs: boolean;
};

/** Routes by which calls are made as whoever is asked for, and read before they are. */
export function callRoutes(app: App, { recorder, actsAs, ...needs }: Needs): void {
  app.addSchema(CallOutcomesSchema);
  app.addSchema(ProofSchema);
  let known: ApiDocument | undefined;
  const document = () => (known ??= app.swagger() as unknown as ApiDocument);
  let whole: Promise<ApiDocument> | undefined;
  // As everybody reads it, with limits and own fields written out.
  const published = () =>
    (whole ??= app
      .inject({ method: 'GET', url: '/v1/openapi.json', headers: { [PASS_HEADER]: needs.pass } })
      .then((reply) => reply.json<ApiDocument>()));
  const calls = recorder && new Calls({ ...needs, recorder, document, inject: (call) => app.inject(call) });

  app.post(
    '/v1/operator/calls',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'makeCalls',
        tags: ['operator'],
        summary:
          'Make a call as somebody, or the same call as several, and see what each met and which rows it changed',
        description:
          'Without `keep`, each call is made in a transaction of its own that is rolled back, so that all are made on the same state.',
        body: CallsWish,
        response: replies({ 200: ref(CallOutcomesSchema) }, [
          'not-traced',
          'acting-off',
          'not-found',
          'invalid',
          'wrong-origin',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request) => {
      const { callers, keep, ...wish } = request.body;
      if (!calls)
        throw new Problem(
          'not-traced',
          'This service writes down nothing of its calls: set `traces.on` and start it again.',
        );
      if (!actsAs && callers.some(({ as }) => as !== 'nobody' && as !== 'operator'))
        throw new Problem(
          'acting-off',
          'The operator may act as a user only in the demo, or where sessions.actingAs is set.',
        );
      if (wish.path.startsWith('/v1/operator/calls'))
        throw invalid('/path', 'names this call itself: call something else');
      if (!keep) return { outcomes: await calls.rehearse(wish, callers) } as never;
      if (callers.length > 1)
        throw invalid('/callers', 'names several callers: only one call can be kept; leave `keep` out');
      return { outcomes: [await calls.make(wish, callers[0]!)] } as never;
    },
  );

  app.post(
    '/v1/operator/proofs',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'proofread',
        tags: ['operator'],
        summary: 'Read a call, a walk or a value before it is sent: what would be refused, in the words of the service',
        body: ProofWish,
        response: replies({ 200: ref(ProofSchema) }, ['invalid', 'wrong-origin', 'too-large', 'wrong-media-type']),
      },
    },
    async (request) => (await import('./proofread.js')).proofread(request.body, await published()) as never,
  );
}
