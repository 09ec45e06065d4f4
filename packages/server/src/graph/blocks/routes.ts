import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { replies } from '../../ground/http/replies.js';
import { pageQuery, ref, userParam } from '../../ground/http/schemas.js';
import type { Blocks } from './service.js';
import type { Users } from '../../accounts/users/service.js';
import { UserPage } from '../../accounts/users/schema.js';
import { UserSchema } from '../../accounts/users/schema.js';
import type { Distance } from './service.js';

/** What these are made of. */
interface Needs {
  readonly blocks: Blocks;
  readonly users: Users;
  readonly lists: Lists;
}

const WORDS = {
  mutes: {
    put: 'Mute a user: what they write is shown to you no more, and they are not told',
    delete: 'Read a user again',
    list: 'Whom one mutes, newest first',
    ids: ['mute', 'unmute', 'listMutes'],
  },
  blocks: {
    put: 'Block a user: they see nothing of you and cannot follow, comment or react; the follows between you end',
    delete: 'Let a user back in; the follows of before do not return',
    list: 'Whom one blocks, newest first',
    ids: ['block', 'unblock', 'listBlocks'],
  },
} as const;

/** Routes of mutes and blocks. */
export function blockRoutes(app: App, { blocks, users, lists }: Needs): void {
  for (const distance of ['mutes', 'blocks'] satisfies Distance[]) {
    const words = WORDS[distance];

    app.put(
      `/v1/${distance}/:user`,
      {
        config: { doorway: 'signed-in' },
        schema: {
          operationId: words.ids[0],
          tags: ['keeping away'],
          summary: words.put,
          params: userParam,
          response: replies({ 200: ref(UserSchema), 201: ref(UserSchema) }, ['not-found', 'invalid']),
        },
      },
      async (request, reply) => {
        const { caller } = request.principal;
        const otherId = await users.require(request.params.user, caller);
        const made = await blocks.add(distance, signedIn(request).userId, otherId);
        return reply.code(made ? 201 : 200).send(await users.view(otherId, caller));
      },
    );

    app.delete(
      `/v1/${distance}/:user`,
      {
        config: { doorway: 'signed-in' },
        schema: {
          operationId: words.ids[1],
          tags: ['keeping away'],
          summary: words.delete,
          params: userParam,
          response: replies({ 204: Type.Null() }, ['not-found']),
        },
      },
      async (request, reply) => {
        // Found even when they block the caller in their turn: one's own block can always be lifted.
        const otherId = await users.requireAny(request.params.user);
        await blocks.remove(distance, signedIn(request).userId, otherId);
        return reply.code(204).send(null);
      },
    );

    app.get(
      `/v1/${distance}`,
      {
        config: { doorway: 'signed-in' },
        schema: {
          operationId: words.ids[2],
          tags: ['keeping away'],
          summary: words.list,
          headers: seenHeaders,
          querystring: Type.Object(pageQuery),
          response: replies({ 200: ref(UserPage) }, ['bad-cursor']),
        },
      },
      (request, reply) => {
        const { userId } = signedIn(request);
        return lists.page(request, reply, (at) =>
          blocks.list(distance, userId, request.query, request.principal.caller, at),
        );
      },
    );
  }
}
