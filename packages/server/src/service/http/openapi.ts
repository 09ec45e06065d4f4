import swagger from '@fastify/swagger';
import type { FastifyInstance } from 'fastify';
import type { ModelTableName } from '@gather-lane/core';
import type { Config } from '../../ground/config/schema.js';
import { describeFieldsReply } from '../../ground/fields/field-schemas.js';
import { OPERATOR_COOKIE, SESSION_COOKIE } from '../../ground/http/principal.js';
import { completeReplies } from './describe-replies.js';
import { VERSION } from '../../package-files.js';

type Json = Record<string, unknown>;

/**
 * Serves the OpenAPI 3.1 document that the routes' own schemas make. Each operation says its doorway rule as
 * `x-doorway`; the limits of texts are the configured ones.
 */
export async function useOpenApi(app: FastifyInstance, config: Config, base: () => string): Promise<void> {
  await app.register(swagger, {
    openapi: {
      openapi: '3.1.0',
      info: {
        title: 'Gather Lane',
        version: VERSION,
        description: 'Users, posts, follows, comments, and following feeds ranked by recency and engagement.',
        license: { name: 'Apache-2.0', identifier: 'Apache-2.0' } as { name: string },
      },
      tags: [
        { name: 'feed', description: 'The following feed' },
        { name: 'posts', description: 'Posts' },
        { name: 'comments', description: 'The conversation below posts' },
        { name: 'reactions', description: 'What people think of posts and comments' },
        { name: 'follows', description: 'Who follows whom' },
        { name: 'users', description: 'Profiles' },
        { name: 'accounts', description: 'Signing up, in and out' },
        { name: 'pictures', description: 'Pictures of posts and profiles' },
        { name: 'keeping away', description: 'Mutes and blocks' },
        { name: 'moderation', description: 'Keeping order in what others wrote' },
        { name: 'operator', description: 'For whoever runs the service' },
        { name: 'service', description: 'About the service' },
      ],
      components: {
        securitySchemes: {
          user: { type: 'http', scheme: 'bearer', description: 'An access token' },
          operator: { type: 'http', scheme: 'bearer', description: 'The operator key' },
          browser: { type: 'apiKey', in: 'cookie', name: SESSION_COOKIE, description: 'The session of a browser' },
          operatorBrowser: { type: 'apiKey', in: 'cookie', name: OPERATOR_COOKIE, description: 'The operator’s' },
        },
      },
    },
    refResolver: { buildLocalReference: (json, _base, _fragment, i) => (json.$id as string | undefined) ?? `def-${i}` },
    transform: ({ schema, url, route }) => {
      const rule = route.config?.doorway;
      const security: Record<string, string[]>[] =
        rule === 'operator'
          ? [{ operator: [] }, { operatorBrowser: [] }]
          : [...(rule === 'anyone' ? [{}] : []), { user: [] }, { browser: [] }];
      if (schema?.hide) return { url, schema };
      const description = [schema?.description, `May be called by: **${rule}**.`].filter(Boolean).join('\n\n');
      const { lasting } = route.config ?? {};
      const ours = { 'x-doorway': rule, ...(lasting !== undefined && { 'x-lasting': lasting }) };
      return { url, schema: { ...schema, description, ...ours, security } };
    },
  });

  app.get('/v1/openapi.json', { config: { doorway: 'anyone' }, schema: { hide: true } }, () =>
    openApiDocument(app, config, base()),
  );
}

/** What only our own validator and this document read of a schema. */
const OURS = ['$id', 'x-configured', 'x-own-fields', 'x-written-fields'];

/**
 * The document, for the route and for generating the client.
 * @param openFields leaves own fields and configured words open, for a client that knows nothing of anybody's configuration
 */
export function openApiDocument(app: FastifyInstance, config: Config, base: string, openFields = false): Json {
  const document = JSON.parse(JSON.stringify(app.swagger())) as Json;
  completeReplies(document.paths as Parameters<typeof completeReplies>[0]);
  return { ...(tidy(document, config, openFields) as Json), servers: [{ url: base || '/' }] };
}

/** Writes out the limits of texts and the developer's own fields, and drops what only our validator reads. */
function tidy(value: unknown, config: Config, openFields: boolean): unknown {
  const { limits, model } = config;
  if (Array.isArray(value)) return value.map((item) => tidy(item, config, openFields));
  if (typeof value !== 'object' || value === null) return value;
  const entries = Object.entries(value as Json).filter(([key]) => !OURS.includes(key));
  const out = Object.fromEntries(entries.map(([key, child]) => [key, tidy(child, config, openFields)]));
  // Which fields are for the operator alone is for the operator alone to know.
  if ((value as Json)['x-operator-only'] || ((value as Json)['x-written-fields'] && openFields))
    return { type: 'object', additionalProperties: true };
  if ((value as Json)['x-configured'] && openFields) delete out.enum;
  const own = (value as Json)['x-own-fields'];
  // The client has types for them that a developer fills in: it has to know whose they are.
  if (typeof own === 'string')
    Object.assign(out, openFields ? { 'x-own-fields': own } : describeFieldsReply(model, own as ModelTableName));
  // A parameter with a default need not be sent.
  if (out.in === 'query' && (out.schema as Json | undefined)?.default !== undefined) out.required = false;
  const limit = out['x-characters'] as keyof Config['limits'] | undefined;
  if (typeof limit !== 'string') return out;
  const least = limit === 'bio' ? 0 : 1;
  return {
    ...out,
    'x-characters': { min: least, max: limits[limit], ...(limit === 'name' && { line: true }) },
    'minLength': least,
    'maxLength': 4000,
    'description': `${String(out.description)}: ${least} to ${limits[limit]} characters as people count them (grapheme clusters), at most 4,000 code points`,
  };
}
