import { DEMO_MAIN_USERS, DEMO_PASSWORD } from '@gather-lane/core';
import { Type } from 'typebox';
import type { App } from '../http/app-type.js';
import { replies } from '../http/replies.js';
import { orNull, ref } from '../http/schemas.js';
import type { Services } from '../services.js';
import { VERSION } from '../version.js';

const AboutSchema = Type.Object(
  {
    name: Type.String(),
    version: Type.String(),
    limits: Type.Object({
      name: Type.Integer(),
      bio: Type.Integer(),
      post: Type.Integer(),
      comment: Type.Integer(),
      follows: Type.Integer(),
    }),
    demo: orNull(
      Type.Object({
        password: Type.String(),
        users: Type.Array(Type.Object({ handle: Type.String(), who: Type.String() })),
      }),
    ),
  },
  { $id: 'About' },
);

/** What a client has to know before anybody signs in. */
export function aboutRoutes(app: App, { config, demo }: Services): void {
  app.addSchema(AboutSchema);
  app.get(
    '/v1/about',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'getAbout',
        tags: ['service'],
        summary: 'Version and limits; in the demo also whom to sign in as',
        response: replies('anyone', { 200: ref(AboutSchema) }),
      },
    },
    () => ({
      name: 'Gather Lane',
      version: VERSION,
      limits: config.limits,
      demo: demo ? { password: DEMO_PASSWORD, users: [...DEMO_MAIN_USERS] } : null,
    }),
  );
}
