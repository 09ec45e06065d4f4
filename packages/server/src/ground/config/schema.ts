import type { OwnFields } from '@gather-lane/core';
import { Type, type Static } from 'typebox';
import { ModelSchema } from './model-schema.js';
import { closed } from './sections/closed.js';
import { Server } from './sections/server.js';
import { Database } from './sections/database.js';
import { Sessions, SignIn, Mail } from './sections/signing-in.js';
import { Rates, Limits } from './sections/limits.js';
import { Notifications, Live, Draw } from './sections/telling.js';
import { Traces, Log } from './sections/watching.js';

/**
 * The configuration file's schema; published at `/docs/config.schema.json`. Every key can also be set by
 * an environment variable: `server.port` by `GATHER_LANE_SERVER_PORT`.
 */
export const ConfigSchema = Type.Object(
  {
    server: Server,
    data: Type.String({
      default: '.gather-lane',
      description: 'Folder for the operator key, pictures and, with the embedded cluster, the database.',
    }),
    operatorKeyFile: Type.Optional(
      Type.String({
        description:
          'File of the operator key that all services of a database share; GATHER_LANE_OPERATOR_KEY goes before it. Without either each has one of its own in its data folder.',
      }),
    ),
    mediaFolder: Type.Optional(
      Type.String({
        description: 'Folder of pictures that all services of a database share; in the data folder unless it is set.',
      }),
    ),
    mediaBucket: Type.Optional(
      Type.String({
        pattern: '^https?://[^/?#]+/[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]/?$',
        description:
          'A bucket for pictures in the place of a folder, as https://HOST/BUCKET, of a service that speaks the protocol of S3. Its credentials are had from AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY, its region from AWS_REGION.',
      }),
    ),
    database: Database,
    sessions: Sessions,
    signIn: SignIn,
    mail: Mail,
    rates: Rates,
    limits: Limits,
    reactions: Type.Array(
      Type.Object(
        {
          name: Type.String({ pattern: '^(?!comment$)[a-z][a-z0-9_]{0,23}$', description: 'As calls name it.' }),
          label: Type.String({ minLength: 1, maxLength: 30, description: 'As people read it.' }),
        },
        closed,
      ),
      {
        default: [
          { name: 'like', label: 'Like' },
          { name: 'dislike', label: 'Dislike' },
        ],
        description: 'Kinds of reaction. How much each lifts a post is in the weighting.',
      },
    ),
    notifications: Notifications,
    live: Live,
    draw: Draw,
    model: Type.Optional(ModelSchema),
    traces: Traces,
    log: Log,
  },
  { ...closed, $schema: 'https://json-schema.org/draft/2020-12/schema', title: 'Gather Lane configuration' },
);

/** The whole configuration, every default filled in, with the developer's own fields as they were read. */
export type Config = Omit<Static<typeof ConfigSchema>, 'model'> & { readonly model: OwnFields };

/** A leaf of the configuration: its path, its schema and the environment variable that sets it. */
export interface ConfigKey {
  readonly path: string[];
  readonly schema: {
    type?: string;
    items?: { type?: string };
    default?: unknown;
    description?: string;
    anyOf?: { const: string }[];
  };
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
