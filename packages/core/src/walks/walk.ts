/** A value of JSON. */
export type Json = null | boolean | number | string | readonly Json[] | { readonly [name: string]: Json };

/** What is expected of the rows of a table: how many, or which, by some of their columns. */
export type ExpectedRows = number | readonly { readonly [column: string]: Json }[];

/** What is expected of a reply, and of what the call did. Whatever is not named may be as it is. */
export interface Expectation {
  readonly status?: number | readonly number[];
  /** The last part of the `type` of problem details. */
  readonly problem?: string;
  /** Objects are compared by the properties that are named, lists whole. */
  readonly body?: Json;
  /** Values by JSON Pointer; `*` stands for every item of a list. */
  readonly values?: { readonly [pointer: string]: Json };
  /** A JSON Schema that the body fits. */
  readonly schema?: { readonly [keyword: string]: Json };
  /** By table; of one that is named, all that is not named must not be. */
  readonly rows?: {
    readonly [table: string]: {
      readonly inserted?: ExpectedRows;
      readonly changed?: ExpectedRows;
      readonly deleted?: ExpectedRows;
    };
  };
}

/** What is sent and what is kept of the reply. */
export interface WalkCall {
  /** Method and path: `PUT /v1/follows/{ann.id}`. */
  readonly call: string;
  readonly headers?: { readonly [name: string]: string };
  readonly body?: Json;
  /** Names for values of the reply: a JSON Pointer into its body (a star stands for every item), or `header NAME`. */
  readonly keep?: { readonly [name: string]: string };
  /** How long it may take: `10s`, `500ms`; ten seconds unless said. */
  readonly within?: string;
}

/** A step of a walk. */
export interface WalkStep extends WalkCall {
  /** What it is for, as people read it. */
  readonly step?: string;
  /** A person of the walk, `operator`, or `nobody`. */
  readonly as?: string;
  readonly expect?: Expectation;
}

/** How a person of a walk comes. */
export interface Joining {
  /** One after another; what they keep is the person's own: `{ann.id}`. */
  readonly calls: readonly WalkCall[];
  /** Headers that say who calls, of every later step of theirs. */
  readonly sends?: { readonly [name: string]: string };
}

/** A walk: calls one after another, and what is expected of each. */
export interface Walk {
  /** What it shows. */
  readonly walk: string;
  /** The service that it is for, where that is another than the one that it is run against. */
  readonly service?: { readonly address?: string; readonly document?: string };
  /** People whom the walk makes, and removes at its end. */
  readonly people?: readonly string[];
  readonly joining?: Joining;
  readonly leaving?: WalkCall;
  readonly steps: readonly WalkStep[];
}

/** How people come to a service of ours. */
export const JOINING: Required<Joining> = {
  calls: [
    {
      call: 'POST /v1/users',
      body: {
        handle: '{person.handle}',
        name: '{person.name}',
        email: '{person.email}',
        password: '{person.password}',
      },
      keep: { id: '/id' },
    },
    {
      call: 'POST /v1/sessions',
      body: { login: '{person.handle}', password: '{person.password}' },
      keep: { token: '/accessToken' },
    },
  ],
  sends: { authorization: 'Bearer {person.token}' },
};

/** How people leave a service of ours. */
export const LEAVING: WalkCall = { call: 'DELETE /v1/users/{person.id}', body: { password: '{person.password}' } };

const NAME = '^[A-Za-z][A-Za-z0-9_]{0,39}$';
const strings = { type: 'object', additionalProperties: { type: 'string' } };
const rowsOfAct = {
  oneOf: [
    { type: 'integer', minimum: 0 },
    { type: 'array', items: { type: 'object' } },
  ],
};
const call = {
  call: {
    type: 'string',
    pattern: '^(GET|POST|PUT|PATCH|DELETE|HEAD|OPTIONS) /[^ ]*$',
    description: 'Method and path: `PUT /v1/follows/{ann.id}`. A name in braces is a value that was kept.',
  },
  headers: { ...strings, description: 'Beside those that say who calls.' },
  body: { description: 'Sent as JSON. `{name}` in a text is a value that was kept; `{{` is a brace.' },
  keep: {
    ...strings,
    propertyNames: { pattern: NAME },
    description:
      'Names for values of the reply: a JSON Pointer into its body (`/items/*/id` is a list), or `header NAME`.',
  },
  within: { type: 'string', pattern: '^[0-9]{1,6}(ms|s|m)$', description: 'How long it may take: `10s` unless said.' },
};

/** The JSON Schema of a walk file; published at `/docs/walk.schema.json`. */
export const WALK_SCHEMA = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Gather Lane walk',
  type: 'object',
  required: ['walk', 'steps'],
  additionalProperties: false,
  properties: {
    walk: { type: 'string', minLength: 1, maxLength: 200, description: 'What it shows.' },
    service: {
      type: 'object',
      additionalProperties: false,
      description: 'The service that it is for, where that is another than the one that it is run against.',
      properties: {
        address: { type: 'string', pattern: '^https?://' },
        document: { type: 'string', description: 'Where its OpenAPI document is: an address, or a path of it.' },
      },
    },
    people: {
      type: 'array',
      items: { type: 'string', pattern: NAME, not: { enum: ['nobody', 'operator', 'person'] } },
      uniqueItems: true,
      maxItems: 50,
      description:
        'People whom the walk makes, and removes at its end: each is `{NAME.handle}`, `{NAME.id}` and what joining keeps.',
    },
    joining: {
      type: 'object',
      required: ['calls'],
      additionalProperties: false,
      properties: {
        calls: {
          type: 'array',
          minItems: 1,
          items: { type: 'object', required: ['call'], additionalProperties: false, properties: call },
          description: 'What they keep is the person’s own: `{ann.id}`.',
        },
        sends: { ...strings, description: 'Headers that say who calls, of every later step.' },
      },
      description:
        'How a person comes: calls in which `{person.handle}`, `.name`, `.email` and `.password` are new. Unless said, as to Gather Lane.',
    },
    leaving: {
      type: 'object',
      required: ['call'],
      additionalProperties: false,
      properties: call,
      description: 'How they go.',
    },
    steps: {
      type: 'array',
      minItems: 1,
      items: {
        type: 'object',
        required: ['call'],
        additionalProperties: false,
        properties: {
          step: { type: 'string', maxLength: 300, description: 'What it is for.' },
          as: { type: 'string', description: 'One of `people`, `operator`, or `nobody`, which it is unless said.' },
          ...call,
          expect: {
            type: 'object',
            additionalProperties: false,
            description: 'Whatever is not named may be as it is.',
            properties: {
              status: {
                oneOf: [
                  { type: 'integer', minimum: 100, maximum: 599 },
                  { type: 'array', minItems: 1, items: { type: 'integer', minimum: 100, maximum: 599 } },
                ],
              },
              problem: { type: 'string', description: 'The last part of the `type` of problem details (RFC 9457).' },
              body: { description: 'Objects are compared by the properties that are named, lists whole.' },
              values: {
                type: 'object',
                propertyNames: { pattern: '^(/.*)?$' },
                description:
                  'Values by JSON Pointer; `*` stands for every item. `{name...}` in a list puts in all that is kept there.',
              },
              schema: { type: 'object', description: 'A JSON Schema that the body fits.' },
              rows: {
                type: 'object',
                description:
                  'What the call did to rows, by table: how many, or which. Of a table that is named, nothing else.',
                additionalProperties: {
                  type: 'object',
                  additionalProperties: false,
                  properties: { inserted: rowsOfAct, changed: rowsOfAct, deleted: rowsOfAct },
                },
              },
            },
          },
        },
      },
    },
  },
} as const;
