import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { replies } from '../../ground/http/replies.js';
import { ref, userParam } from '../../ground/http/schemas.js';
import type { Users } from '../../accounts/users/service.js';
import { AuthorSchema } from '../../accounts/users/schema.js';

/** What these are made of. */
interface Needs {
  readonly users: Users;
}

const ModeratorList = Type.Object(
  { items: Type.Array(ref(AuthorSchema)), next: Type.Null() },
  { $id: 'ModeratorList' },
);

/** Routes by which the operator says who moderates. */
export function moderatorRoutes(app: App, { users }: Needs): void {
  app.addSchema(ModeratorList);

  app.get(
    '/v1/operator/moderators',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'listModerators',
        tags: ['operator'],
        summary: 'Who moderates, by handle',
        response: replies({ 200: ref(ModeratorList) }),
      },
    },
    async () => ({ items: await users.moderators(), next: null }),
  );

  for (const moderates of [true, false])
    app.route({
      method: moderates ? 'PUT' : 'DELETE',
      url: '/v1/operator/moderators/:user',
      config: { doorway: 'operator' },
      schema: {
        operationId: moderates ? 'addModerator' : 'removeModerator',
        tags: ['operator'],
        summary: moderates ? 'Make a user a moderator' : 'Make a moderator an ordinary user again',
        params: userParam,
        response: replies({ 204: Type.Null() }, ['not-found', 'wrong-origin']),
      },
      handler: async (request, reply) => {
        await users.setModerator(await users.requireAny(request.params.user), moderates);
        return reply.code(204).send(null);
      },
    });
}
