import { SerializerSelector, type SerializerFactory } from '@fastify/fast-json-stringify-compiler';
import { referredBy, toWrite } from './written-schema.js';

type SerializerCompiler = ReturnType<SerializerFactory>;

/**
 * Compiles serialisers for good replies alone. Problems are serialised where they are sent, and a route has ten of them:
 * compiling those too made up nine tenths of the time that the service took to start. What is left is compiled at its first use, of what
 * it refers to alone, and without a validator: that takes a sixth of the time.
 *
 * They go by types alone. A serialiser that looks at formats as well throws at whoever reads a list, for a value that somebody
 * else stored; what may be stored is decided where it comes in.
 */
export const compileGoodReplies: SerializerFactory = (externalSchemas, options) => {
  const shared = externalSchemas as Readonly<Record<string, object>>;
  return (route) => {
    if (Number(route.httpStatus) >= 400) return (data) => JSON.stringify(data);
    let serialise: ReturnType<SerializerCompiler> | undefined;
    return (data) => {
      serialise ??= SerializerSelector()(
        Object.fromEntries(referredBy(route.schema, shared).map((name) => [name, toWrite(shared[name])])),
        options,
      )({ ...route, schema: toWrite(route.schema) });
      return serialise(data);
    };
  };
};
