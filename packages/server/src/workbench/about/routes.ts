import { DEMO_MAIN_USERS, DEMO_PASSWORD, fieldSchema, mustBeGiven, type Field } from '@gather-lane/core';
import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { replies } from '../../ground/http/replies.js';
import { orNull, ref } from '../../ground/http/schemas.js';
import type { Config } from '../../ground/config/schema.js';
import type { Mailbox } from '../../accounts/mail/mailbox.js';
import { VERSION } from '../../package-files.js';

/** What these are made of. */
interface Needs {
  readonly config: Config;
  readonly demo: boolean;
  readonly mailbox: Mailbox | null;
}

const OwnFieldSchema = Type.Object(
  {
    table: Type.String({ description: 'users, posts or comments' }),
    name: Type.String(),
    schema: Type.Unsafe<Record<string, unknown>>({
      type: 'object',
      additionalProperties: true,
      description: 'JSON Schema of its values',
    }),
    kind: Type.String({
      description: 'string, enum, integer, number, boolean, date, date-time, or user: an id of one',
    }),
    description: orNull(Type.String()),
    required: Type.Boolean({ description: 'Whether it can be cleared' }),
    needed: Type.Boolean({ description: 'Whether nothing can be made without giving it' }),
    audience: Type.String({ description: 'Who is shown it: anyone, or owner' }),
    writable: Type.String({ description: 'Who may write it: owner, at-creation (its owner, once), or operator' }),
  },
  { $id: 'OwnField', description: 'A field of the developer’s own' },
);

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
    reactions: Type.Array(Type.Object({ name: Type.String(), label: Type.String() }), {
      description: 'The kinds of reaction, in their order',
    }),
    mailbox: Type.Boolean({ description: 'Whether a mailbox stand-in takes the mail' }),
    fields: Type.Array(ref(OwnFieldSchema), { description: 'Fields of the developer’s own' }),
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
export function aboutRoutes(app: App, { config, demo, mailbox }: Needs): void {
  app.addSchema(OwnFieldSchema);
  app.addSchema(AboutSchema);
  const fields = config.model.filter((field) => field.audience !== 'operator').map(describeOwnField);
  app.get(
    '/v1/about',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'getAbout',
        tags: ['service'],
        summary: 'Version, limits, fields of the developer’s own; in the demo also whom to sign in as',
        response: replies({ 200: ref(AboutSchema) }),
      },
    },
    () => ({
      name: 'Gather Lane',
      version: VERSION,
      limits: config.limits,
      reactions: config.reactions,
      mailbox: mailbox !== null,
      fields,
      demo: demo ? { password: DEMO_PASSWORD, users: [...DEMO_MAIN_USERS] } : null,
    }),
  );
}

const describeOwnField = (field: Field) => ({
  table: field.table,
  name: field.name,
  schema: fieldSchema(field),
  kind: field.kind,
  description: field.description,
  required: field.required,
  needed: mustBeGiven(field),
  audience: field.audience,
  writable: field.writable,
});
