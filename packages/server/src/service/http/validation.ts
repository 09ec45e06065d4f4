import { faultsOf, requestAjv, sayFaults, type RequestPart } from '@gather-lane/core';
import type { ErrorObject, ValidateFunction } from 'ajv';
import type { FastifyInstance, FastifySchemaValidationError } from 'fastify';
import { Type } from 'typebox';
import type { Config } from '../../ground/config/schema.js';
import { Problem } from '../../ground/http/problem.js';

/**
 * Validates requests with Ajv: unknown properties are refused rather than dropped, and only what comes
 * as text anyway (path, query) is converted. `x-characters` names a configured limit.
 */
export function useValidation(app: FastifyInstance, limits: Config['limits']): void {
  const make = (coerce: boolean) =>
    requestAjv(coerce, (limit: 'name' | 'bio' | 'post' | 'comment') => ({
      min: limit === 'bio' ? 0 : 1,
      max: limits[limit],
      line: limit === 'name',
    }));
  const [strict, lenient] = [make(false), make(true)];
  app.setValidatorCompiler(({ schema, httpPart }) =>
    atFirstUse(() => {
      if (httpPart === 'body') return strict.compile(schema as object);
      return lenient.compile(
        httpPart === 'querystring' ? { additionalProperties: false, ...(schema as object) } : (schema as object),
      );
    }),
  );
  // A call that takes no parameters refuses them too, rather than do something else than was meant.
  app.addHook('onRoute', (route) => {
    if (route.url.startsWith('/v1/') && !route.schema?.querystring)
      route.schema = { ...route.schema, querystring: Type.Object({}) };
  });
  app.setSchemaErrorFormatter((errors, part) => toProblem(errors, part));
}

/** A schema is compiled when it is met first: a start compiles nothing of routes that nobody calls. */
function atFirstUse(compile: () => ValidateFunction) {
  let check: ValidateFunction | undefined;
  const validate = (data: unknown): boolean => {
    check ??= compile();
    const fine = check(data);
    validate.errors = check.errors ?? null;
    return fine;
  };
  validate.errors = null as ValidateFunction['errors'];
  return validate;
}

function toProblem(errors: FastifySchemaValidationError[], part: RequestPart): Problem {
  const faults = faultsOf(errors as ErrorObject[], part);
  return new Problem(part === 'body' ? 'invalid' : 'malformed', sayFaults(faults), faults);
}
