import { SerializerSelector, type SerializerFactory } from '@fastify/fast-json-stringify-compiler';

type SerializerCompiler = ReturnType<SerializerFactory>;

/** What a schema says beyond the types: for readers of the document. */
const BEYOND_TYPES = ['format', 'pattern', 'minLength', 'maxLength', 'minimum', 'maximum', 'minItems', 'maxItems'];

/**
 * Compiles serialisers for good replies alone. Problems are serialised where they are sent, and a route has ten of them:
 * compiling those too made up nine tenths of the time that the service took to start. What is left is compiled at its first use.
 *
 * They go by types alone. A serialiser that looks at formats as well throws at whoever reads a list, for a value that somebody
 * else stored; what may be stored is decided where it comes in.
 */
export const compileGoodReplies: SerializerFactory = (externalSchemas, options) => {
  let compile: SerializerCompiler | undefined;
  return (route) => {
    if (Number(route.httpStatus) >= 400) return (data) => JSON.stringify(data);
    let serialise: ReturnType<SerializerCompiler> | undefined;
    return (data) => {
      compile ??= SerializerSelector()(byTypes(externalSchemas), options);
      serialise ??= compile({ ...route, schema: byTypes(route.schema) });
      return serialise(data);
    };
  };
};

/** A schema, or several, that says nothing but what there is and of which type. Names of properties are no keywords. */
function byTypes<T>(schema: T, isProperties = false): T {
  if (Array.isArray(schema)) return schema.map((each: unknown) => byTypes(each)) as T;
  if (typeof schema !== 'object' || schema === null) return schema;
  const entries = Object.entries(schema)
    .filter(([key]) => isProperties || !BEYOND_TYPES.includes(key))
    .map(([key, child]) => [key, byTypes(child as unknown, !isProperties && key === 'properties')]);
  return Object.fromEntries(entries) as T;
}
