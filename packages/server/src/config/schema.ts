import type { Model } from '@gather-lane/core';
import { Type, type Static } from 'typebox';
import { ModelSchema } from './model-schema.js';

const closed = { additionalProperties: false } as const;

/**
 * The configuration file's schema; published at `/docs/config.schema.json`. Every key can also be set by
 * an environment variable: `server.port` by `GATHER_LANE_SERVER_PORT`.
 */
export const ConfigSchema = Type.Object(
  {
    server: Type.Object(
      {
        host: Type.String({
          default: '127.0.0.1',
          description: 'Address to listen on; loopback unless told otherwise.',
        }),
        port: Type.Integer({
          default: 7461,
          minimum: 0,
          maximum: 65535,
          description: 'Port to listen on; 0 takes a free one.',
        }),
        publicAddress: Type.Optional(
          Type.String({
            pattern: '^https?://[^/?#]+(/[^?#]*)?$',
            description: 'How callers reach the service, with a base path if there is one. Links are made from it.',
          }),
        ),
        hosts: Type.Array(Type.String(), {
          default: ['127.0.0.1', 'localhost', '[::1]'],
          description: 'Names that a request may carry as its Host, beside that of publicAddress.',
        }),
      },
      closed,
    ),
    data: Type.String({
      default: '.gather-lane',
      description: 'Folder for the operator key and, with the embedded cluster, the database.',
    }),
    database: Type.Object(
      {
        url: Type.Optional(
          Type.String({
            pattern: '^postgres(ql)?://',
            description: 'A PostgreSQL server of yours. Without it an embedded cluster is used.',
          }),
        ),
        migrate: Type.Boolean({
          default: false,
          description: 'Run pending migrations at start. Otherwise the service says that there are some and waits.',
        }),
        poolSize: Type.Integer({ default: 12, minimum: 2, maximum: 200, description: 'Most connections at once.' }),
      },
      closed,
    ),
    sessions: Type.Object(
      {
        accessMinutes: Type.Integer({
          default: 15,
          minimum: 1,
          maximum: 1440,
          description: 'How long an access token is good for.',
        }),
        refreshDays: Type.Integer({
          default: 30,
          minimum: 1,
          maximum: 365,
          description: 'How long a session lives without being used.',
        }),
      },
      closed,
    ),
    rates: Type.Object(
      {
        signUpsPerMinute: Type.Integer({ default: 20, minimum: 1, description: 'Sign-ups from one address.' }),
        signInsPerMinute: Type.Integer({ default: 60, minimum: 1, description: 'Sign-in attempts from one address.' }),
      },
      closed,
    ),
    limits: Type.Object(
      {
        name: Type.Integer({ default: 60, minimum: 1, maximum: 4000, description: 'Characters of a name.' }),
        bio: Type.Integer({ default: 400, minimum: 0, maximum: 4000, description: 'Characters of a bio.' }),
        post: Type.Integer({ default: 600, minimum: 1, maximum: 4000, description: 'Characters of a post.' }),
        comment: Type.Integer({ default: 400, minimum: 1, maximum: 4000, description: 'Characters of a comment.' }),
        follows: Type.Integer({ default: 10_000, minimum: 1, description: 'How many users one user may follow.' }),
      },
      closed,
    ),
    model: Type.Optional(ModelSchema),
    log: Type.Object(
      {
        level: Type.Union(
          ['debug', 'info', 'warn', 'error', 'silent'].map((level) => Type.Literal(level)),
          { default: 'warn', description: 'What is logged, as NDJSON on standard error.' },
        ),
      },
      closed,
    ),
  },
  { ...closed, $schema: 'https://json-schema.org/draft/2020-12/schema', title: 'Gather Lane configuration' },
);

/** The whole configuration, every default filled in, with the developer's own fields as they were read. */
export type Config = Omit<Static<typeof ConfigSchema>, 'model'> & { readonly model: Model };

/** A leaf of the configuration: its path, its schema and the environment variable that sets it. */
export interface ConfigKey {
  readonly path: string[];
  readonly schema: { type?: string; default?: unknown; description?: string; anyOf?: { const: string }[] };
  readonly variable: string;
}

/** Every key of the configuration that one value sets, in file order. The model is for the file alone. */
export function configKeys(): ConfigKey[] {
  const walk = (schema: object, path: string[]): ConfigKey[] => {
    const properties = (schema as { properties?: Record<string, object> }).properties;
    if (properties) return Object.entries(properties).flatMap(([key, child]) => walk(child, [...path, key]));
    const words = path.map((key) => key.replace(/[A-Z]/g, (c) => `_${c}`).toUpperCase());
    return [{ path, schema, variable: `GATHER_LANE_${words.join('_')}` }];
  };
  const { model: _, ...sections } = ConfigSchema.properties;
  return walk({ properties: sections }, []);
}
