import { characterFault, linearPatterns, textFault } from '@gather-lane/core';
import { Ajv, type ErrorObject } from 'ajv';
import addFormats from 'ajv-formats';
import { closest } from 'fastest-levenshtein';
import type { FastifyInstance, FastifySchemaValidationError } from 'fastify';
import type { Config } from '../config/schema.js';
import { Problem, type FieldError } from './problem.js';

/**
 * Validates requests with Ajv: unknown properties are refused rather than dropped, and only what comes
 * as text anyway (path, query) is converted. `x-characters` counts characters as people do.
 */
export function useValidation(app: FastifyInstance, limits: Config['limits']): void {
  const make = (coerceTypes: boolean) => {
    const ajv = new Ajv({
      removeAdditional: false,
      useDefaults: true,
      coerceTypes,
      allErrors: true,
      strict: false,
      verbose: true,
      // A developer's pattern may be anything: none may take longer than the text is long.
      code: { regExp: linearPatterns },
    });
    (addFormats as unknown as (ajv: Ajv) => void)(ajv);
    textKeyword(ajv, 'x-characters', (limit: 'name' | 'bio' | 'post' | 'comment') => {
      const bounds = { min: limit === 'bio' ? 0 : 1, max: limits[limit] };
      return (text) => textFault(text, bounds);
    });
    textKeyword(ajv, 'x-storable', () => characterFault);
    return ajv;
  };
  const [strict, lenient] = [make(false), make(true)];
  app.setValidatorCompiler(({ schema, httpPart }) =>
    (httpPart === 'body' ? strict : lenient).compile(schema as object),
  );
  app.setSchemaErrorFormatter((errors, part) => toProblem(errors, part));
}

/** Adds a keyword that says itself what is wrong with a text. */
function textKeyword<T>(ajv: Ajv, keyword: string, compile: (value: T) => (text: string) => string | null): void {
  ajv.addKeyword({
    keyword,
    type: 'string',
    errors: true,
    compile: (value: T) => {
      const faultOf = compile(value);
      const check = (text: string): boolean => {
        const fault = faultOf(text);
        (check as { errors?: object[] }).errors = fault ? [{ keyword, message: fault }] : undefined;
        return fault === null;
      };
      return check;
    },
  });
}

function toProblem(errors: FastifySchemaValidationError[], part: string): Problem {
  const relevant = (errors as unknown as ErrorObject[]).filter(
    (error) => !['anyOf', 'oneOf', 'if'].includes(error.keyword),
  );
  const fields = relevant.map(say);
  const detail = fields.map(({ pointer, detail }) => `${pointer.slice(1) || 'The body'} ${detail}`).join('; ');
  return new Problem(part === 'body' ? 'invalid' : 'malformed', `${detail}.`, fields);
}

function say(error: ErrorObject): FieldError {
  const at = error.instancePath;
  switch (error.keyword) {
    case 'additionalProperties': {
      const { additionalProperty: name } = error.params as { additionalProperty: string };
      const known = Object.keys((error.parentSchema as { properties?: object }).properties ?? {});
      const near =
        known.length > 0 ? `; the known ones are ${known.join(', ')} (did you mean ${closest(name, known)}?)` : '';
      return {
        pointer: `${at}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`,
        detail: `is no property of this call${near}`,
      };
    }
    case 'required':
      return {
        pointer: `${at}/${(error.params as { missingProperty: string }).missingProperty}`,
        detail: 'is missing',
      };
    case 'type':
      return {
        pointer: at,
        detail: `must be ${String((error.params as { type: string }).type)}, but is ${typeName(error.data)}`,
      };
    case 'minLength':
    case 'maxLength':
      return { pointer: at, detail: `${error.message}, but has ${(error.data as string).length}` };
    case 'enum':
      return {
        pointer: at,
        detail: `must be one of ${(error.params as { allowedValues: unknown[] }).allowedValues.join(', ')}`,
      };
    default:
      return { pointer: at, detail: error.message ?? 'is not right' };
  }
}

const typeName = (value: unknown): string => (value === null ? 'null' : Array.isArray(value) ? 'array' : typeof value);
