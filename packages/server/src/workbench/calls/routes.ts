import type { ApiDocument } from '@gather-lane/core';
import type { App } from '../../ground/http/app-type.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { ref } from '../../ground/http/schemas.js';
import { Calls, type CallParts } from './service.js';
import { CallOutcomesSchema, CallsWish } from './schema.js';

/** What these are made of. */
type Needs = Omit<CallParts, 'recorder' | 'inject' | 'document'> & {
  /** Null where nothing is traced. */
  readonly recorder: CallParts['recorder'] | null;
  /** Whether the operator may act as a user. */
  readonly actsAs: boolean;
};

/** The route by which calls are made as whoever is asked for. */
export function callRoutes(app: App, { recorder, actsAs, ...needs }: Needs): void {
  app.addSchema(CallOutcomesSchema);
  let known: ApiDocument | undefined;
  const document = () => (known ??= app.swagger() as unknown as ApiDocument);
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
      if (!actsAs && callers.some(({ as }) => as === 'user' || as === 'ended'))
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
}
