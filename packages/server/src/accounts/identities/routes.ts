import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import { requireOwnOrigin } from '../../ground/http/origin.js';
import { replies } from '../../ground/http/replies.js';
import { closed, Instant, ref, Uuid } from '../../ground/http/schemas.js';
import type { Identities } from './service.js';
import type { Users } from '../users/service.js';
import type { Sessions } from '../sessions/service.js';
import type { Config } from '../../ground/config/schema.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { cookieWish, sendSession, SessionSchema } from '../sessions/reply.js';
import type { IdentityRow } from './service.js';

/** What these are made of. */
interface Needs {
  readonly identities: Identities;
  readonly users: Users;
  readonly sessions: Sessions;
  readonly config: Config;
  readonly address: PublicAddress;
}

const ProviderList = Type.Object(
  {
    items: Type.Array(Type.Object({ name: Type.String(), title: Type.String(), issuer: Type.String() })),
    next: Type.Null(),
  },
  { $id: 'ProviderList' },
);
const BegunSchema = Type.Object(
  {
    ticket: Type.String({ description: 'For the browser that begins it to keep, and to end the sign-in with' }),
    url: Type.String({ format: 'uri', description: 'Where the browser goes now' }),
  },
  { $id: 'BegunSignIn' },
);
const IdentitySchema = Type.Object(
  { id: Uuid, issuer: Type.String(), subject: Type.String(), createdAt: Instant },
  { $id: 'Identity' },
);
const IdentityList = Type.Object(
  { items: Type.Array(ref(IdentitySchema)), next: Type.Null() },
  { $id: 'IdentityList' },
);

const beginBody = closed({ provider: Type.String({ maxLength: 40, description: 'Name of a provider' }) });
const back = {
  ticket: Type.String({ maxLength: 100 }),
  parameters: Type.Record(Type.String({ maxLength: 40 }), Type.String({ maxLength: 4000 }), {
    description: 'The query with which the provider sent the browser back, name by name',
    maxProperties: 12,
  }),
};
const BODY = ['invalid', 'too-often', 'too-large', 'wrong-media-type'] as const;
const viewOf = ({ id, issuer, subject, created_at }: IdentityRow) => ({
  id,
  issuer,
  subject,
  createdAt: created_at.toISOString(),
});

/** Routes of signing in elsewhere. */
export function identityRoutes(app: App, services: Needs): void {
  const { identities, sessions, config, address } = services;
  for (const schema of [ProviderList, BegunSchema, IdentitySchema, IdentityList]) app.addSchema(schema);
  const rateLimit = { max: config.rates.signInsPerMinute, timeWindow: '1 minute' };

  app.get(
    '/v1/providers',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listProviders',
        tags: ['accounts'],
        summary: 'Through whom one may sign in, beside a password',
        response: replies({ 200: ref(ProviderList) }),
      },
    },
    () => ({ items: identities.providers.map(({ name, title, issuer }) => ({ name, title, issuer })), next: null }),
  );

  app.post(
    '/v1/provider-sign-ins',
    {
      config: { lasting: 'it speaks with the provider', doorway: 'anyone', rateLimit },
      schema: {
        operationId: 'beginProviderSignIn',
        tags: ['accounts'],
        summary: 'Begin to sign in through a provider (OpenID Connect)',
        body: beginBody,
        response: replies({ 201: ref(BegunSchema) }, ['not-found', 'provider-away', ...BODY]),
      },
    },
    async (request, reply) => reply.code(201).send(await identities.begin(request.body.provider, null)),
  );

  app.post(
    '/v1/provider-sign-ins/finish',
    {
      config: { lasting: 'it speaks with the provider', doorway: 'anyone', rateLimit },
      schema: {
        'operationId': 'finishProviderSignIn',
        'x-headers': ['Set-Cookie'],
        'tags': ['accounts'],
        'summary': 'End a sign-in with what the provider sent the browser back with',
        'body': closed({ ...back, cookie: Type.Optional(cookieWish) }),
        'response': replies({ 201: ref(SessionSchema) }, [
          'bad-ticket',
          'provider-refused',
          'provider-away',
          'account-gone',
          'claim-missing',
          'taken',
          'wrong-origin',
          ...BODY,
        ]),
      },
    },
    async (request, reply) => {
      const { ticket, parameters, cookie = false } = request.body;
      if (cookie) requireOwnOrigin(request, address, true);
      const userId = await identities.signIn(ticket, parameters);
      return sendSession(services, request, reply, await sessions.open(userId, cookie ? 'cookie' : 'token'));
    },
  );

  app.get(
    '/v1/me/identities',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'listIdentities',
        tags: ['accounts'],
        summary: 'Who one is elsewhere',
        response: replies({ 200: ref(IdentityList) }),
      },
    },
    async (request) => ({ items: (await identities.list(signedIn(request).userId)).map(viewOf), next: null }),
  );

  app.post(
    '/v1/me/identities',
    {
      config: { lasting: 'it speaks with the provider', doorway: 'signed-in', rateLimit },
      schema: {
        operationId: 'beginLink',
        tags: ['accounts'],
        summary: 'Begin to link an identity of a provider to one’s account',
        body: beginBody,
        response: replies({ 201: ref(BegunSchema) }, ['not-found', 'provider-away', ...BODY]),
      },
    },
    async (request, reply) =>
      reply.code(201).send(await identities.begin(request.body.provider, signedIn(request).userId)),
  );

  app.post(
    '/v1/me/identities/finish',
    {
      config: { lasting: 'it speaks with the provider', doorway: 'signed-in', rateLimit },
      schema: {
        operationId: 'finishLink',
        tags: ['accounts'],
        summary: 'Link an identity with what the provider sent the browser back with',
        body: closed(back),
        response: replies({ 201: ref(IdentitySchema) }, [
          'bad-ticket',
          'provider-refused',
          'provider-away',
          'identity-taken',
          ...BODY,
        ]),
      },
    },
    async (request, reply) => {
      const { ticket, parameters } = request.body;
      return reply.code(201).send(viewOf(await identities.link(ticket, parameters, signedIn(request).userId)));
    },
  );

  app.delete(
    '/v1/me/identities/:identity',
    {
      config: { doorway: 'owner of identity' },
      schema: {
        operationId: 'unlink',
        tags: ['accounts'],
        summary: 'Unlink an identity, unless it is the only way to sign in',
        params: Type.Object({ identity: Uuid }),
        response: replies({ 204: Type.Null() }, ['only-way-in']),
      },
    },
    async (request, reply) => {
      await identities.unlink(request.params.identity, signedIn(request).userId);
      return reply.code(204).send(null);
    },
  );
}
