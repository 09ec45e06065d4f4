import { Type, type Static, type TSchema } from 'typebox';

/** A schema that the API document lists under a name of its own. */
export type Named<T extends TSchema> = T & { $id: string };

/** Refers to a named schema instead of repeating it; the type stays that of the schema. */
export function ref<T extends TSchema>(schema: T): T {
  return { $ref: `${(schema as unknown as { $id: string }).$id}#` } as unknown as T;
}

/** What a thing is shown with and nobody sends: whoever tries is told so. */
export const kept = (shown: TSchema, taken: object): Record<string, string> =>
  Object.fromEntries(
    Object.keys((shown as unknown as { properties: object }).properties)
      .filter((name) => !(name in taken))
      .map((name) => [name, 'is kept by the service, and cannot be written']),
  );

/** An object that takes no property but those named: unknown ones are refused, not dropped. */
export function closed<T extends Record<string, TSchema>>(properties: T, options: object = {}) {
  return Type.Object(properties, { additionalProperties: false, ...options });
}

/** A schema or null, as OpenAPI 3.1 writes it. */
export function orNull<T extends TSchema>(schema: T) {
  return Type.Union([schema, Type.Null()]);
}

/** An id. */
export const Uuid = Type.String({ format: 'uuid' });
/** An instant. */
export const Instant = Type.String({ format: 'date-time', description: 'RFC 3339, UTC, to the millisecond' });

/** A person's text: its limit is the configured one, in characters as people count them. */
export const personText = (limit: 'name' | 'bio' | 'post' | 'comment', description: string) =>
  Type.String({ 'x-characters': limit, description });

/** RFC 9457 problem details. */
export const ProblemSchema = Type.Object(
  {
    type: Type.String({ format: 'uri', description: 'A page that says what went wrong and what to do' }),
    title: Type.String(),
    status: Type.Integer(),
    detail: Type.String(),
    instance: Type.String(),
    errors: Type.Optional(Type.Array(Type.Object({ pointer: Type.String(), detail: Type.String() }))),
  },
  { $id: 'Problem', description: 'RFC 9457 problem details' },
);

/** Query of a list that is read page by page. */
export const pageQuery = {
  limit: Type.Integer({ minimum: 1, maximum: 100, default: 20, description: 'How many items a page holds' }),
  after: Type.Optional(Type.String({ minLength: 1, description: 'The `next` of the page before' })),
};

/** A page of a list. */
export function pageOf<T extends TSchema>(item: T, name: string) {
  return Type.Object(
    { items: Type.Array(ref(item)), next: orNull(Type.String({ description: 'Cursor of the next page' })) },
    { $id: name },
  );
}

/** A user as named in a path. */
export const userParam = Type.Object({
  user: Type.String({ description: 'An id or @handle', minLength: 1, maxLength: 64 }),
});

/** What the type of a schema is. */
export type Of<T extends TSchema> = Static<T>;
