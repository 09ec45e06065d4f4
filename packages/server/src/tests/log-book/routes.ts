import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import { replies } from '../../ground/http/replies.js';
import { closed, Uuid } from '../../ground/http/schemas.js';
import type { LogBook } from './service.js';

/** Routes of log books. */
export function logBookRoutes(app: App, { logBook }: { readonly logBook: LogBook }): void {
  app.post(
    '/v1/log-entries',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'writeLogEntry',
        tags: ['log book'],
        summary: 'Write a line into the log book',
        body: closed({ line: Type.String({ minLength: 1, maxLength: 200 }) }),
        response: replies({ 201: Type.Object({ id: Uuid }) }, ['invalid']),
      },
    },
    async (request, reply) =>
      reply.code(201).send({ id: await logBook.write(signedIn(request).userId, request.body.line) }),
  );

  app.delete(
    '/v1/log-entries/:entry',
    {
      config: { doorway: 'owner of entry' },
      schema: {
        operationId: 'tearLogEntry',
        tags: ['log book'],
        summary: 'Tear a line out',
        params: Type.Object({ entry: Type.String() }),
        response: replies({ 204: Type.Null() }),
      },
    },
    async (request, reply) => {
      await logBook.tear(request.params.entry);
      return reply.code(204).send(null);
    },
  );
}
