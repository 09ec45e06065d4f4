import { Type } from 'typebox';
import type { App } from '../http/app-type.js';
import { replies } from '../http/replies.js';
import { Instant, orNull, ref } from '../http/schemas.js';
import type { JobRunner } from './runner.js';

/** What these are made of. */
interface Needs {
  readonly runner: JobRunner;
}

const JobsSchema = Type.Object(
  {
    items: Type.Array(
      Type.Object({
        does: Type.String({ description: 'What it does, in words' }),
        everySeconds: Type.Integer({ description: 'How often it is done' }),
        dueAt: Instant,
        heldBy: orNull(Type.String({ description: 'The machine and number of the process that is at it' })),
        begunAt: orNull(Instant),
        endedAt: orNull(Instant),
        failures: Type.Integer({ description: 'How often it failed one after the other, until now' }),
        failedWith: orNull(Type.String({ description: 'What the last of them said' })),
      }),
    ),
  },
  { $id: 'Jobs' },
);

const toInstant = (date: Date | null): string | null => date?.toISOString() ?? null;

/** What is done in the background, for the operator. */
export function jobRoutes(app: App, { runner }: Needs): void {
  app.addSchema(JobsSchema);
  app.get(
    '/v1/operator/jobs',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'listJobs',
        tags: ['operator'],
        summary: 'What is done now and then: when, by which process, and how it went',
        response: replies({ 200: ref(JobsSchema) }),
      },
    },
    async () => {
      const jobs = await runner.standing();
      return {
        items: jobs.map(({ dueAt, begunAt, endedAt, ...rest }) => ({
          ...rest,
          dueAt: dueAt.toISOString(),
          begunAt: toInstant(begunAt),
          endedAt: toInstant(endedAt),
        })),
      };
    },
  );
}
