import { characterFault, didYouMean, lineFault, linearPatterns, textFault } from '@gather-lane/core';
import { Ajv, type ErrorObject, type ValidateFunction } from 'ajv';
import addFormats from 'ajv-formats';
import type { FastifyInstance, FastifySchemaValidationError } from 'fastify';
import { Type } from 'typebox';
import type { Config } from '../../ground/config/schema.js';
import { Problem, type FieldError } from '../../ground/http/problem.js';

/**
 * Validates requests with Ajv: unknown properties are refused rather than dropped, and only what comes
 * as text anyway (path, query) is converted. `x-characters` counts characters as people do; `x-line` is for texts of one line.
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
      return (text) => textFault(text, bounds) ?? (limit === 'name' ? lineFault(text) : null);
    });
    textKeyword(ajv, 'x-storable', () => characterFault);
    textKeyword(ajv, 'x-line', () => (text) => (text === '' ? null : (characterFault(text) ?? lineFault(text))));
    return ajv;
  };
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
  const told = tellApart(errors);
  const fields = told.flatMap((error) => say(error, part));
  const detail = fields.map(({ pointer, detail }) => `${pointer.slice(1) || 'The body'} ${detail}`).join('; ');
  return new Problem(part === 'body' ? 'invalid' : 'malformed', `${detail}.`, fields);
}

/** What a choice between schemas says, put together: a reader is told once what would be right, not what each branch misses. */
function tellApart(errors: ErrorObject[]): ErrorObject[] {
  const plain = errors.filter(({ keyword }) => !['anyOf', 'oneOf', 'if'].includes(keyword));
  return plain.flatMap((error) => {
    const same = plain.filter(({ instancePath }) => instancePath === error.instancePath);
    const others = same.filter((other) => !isNullType(other));
    if (isNullType(error) && others.length > 0) return [];
    const alike = same.filter(({ keyword }) => keyword === error.keyword);
    if (error.keyword === 'const')
      return alike[0] === error ? [{ ...error, params: { allowed: alike.map(allowedOf) } }] : [];
    if (error.keyword !== 'type') return [error];
    if (others.find(({ keyword }) => keyword === 'type') !== error && others.includes(error)) return [];
    const types = same.filter(({ keyword }) => keyword === 'type').flatMap(typesOf);
    return [{ ...error, params: { type: [...new Set(types)] } }];
  });
}

const typesOf = ({ params }: ErrorObject): string[] => [(params as { type: string | string[] }).type].flat();
const isNullType = (error: ErrorObject): boolean => error.keyword === 'type' && typesOf(error).join() === 'null';
const allowedOf = ({ params }: ErrorObject): unknown => (params as { allowedValue: unknown }).allowedValue;

function say(error: ErrorObject, part: string): FieldError[] {
  const at = error.instancePath;
  switch (error.keyword) {
    case 'additionalProperties':
      return [sayUnknown(error, part)];
    case 'required':
      return sayMissing(error);
    case 'type':
      return [{ pointer: at, detail: `must be ${either(typesOf(error))}, but is ${typeName(error.data)}` }];
    case 'minLength':
    case 'maxLength':
      return [{ pointer: at, detail: `${error.message}, but has ${[...(error.data as string)].length}` }];
    case 'enum':
    case 'const': {
      const { allowedValues, allowed } = error.params as { allowedValues?: unknown[]; allowed?: unknown[] };
      const values = (allowedValues ?? allowed ?? []).map((value) => (value === null ? 'null' : String(value)));
      return [{ pointer: at, detail: `must be one of ${values.join(', ')}` }];
    }
    default:
      return [{ pointer: at, detail: error.message ?? 'is not right' }];
  }
}

interface ObjectSchema {
  readonly 'properties'?: Record<string, ObjectSchema>;
  readonly 'required'?: readonly string[];
  /** What there is and cannot be written here, with the reason. */
  readonly 'x-kept'?: Readonly<Record<string, string>>;
}

function sayUnknown({ instancePath, params, parentSchema }: ErrorObject, part: string): FieldError {
  const { additionalProperty: name } = params as { additionalProperty: string };
  const pointer = `${instancePath}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`;
  const { properties = {}, 'x-kept': kept = {} } = parentSchema as ObjectSchema;
  if (Object.hasOwn(kept, name)) return { pointer, detail: kept[name]! };
  const known = Object.keys(properties);
  const there =
    known.length > 0 ? `; the known ones are ${known.join(', ')}${didYouMean(name, known)}` : '; it takes none';
  return { pointer, detail: `is no ${part === 'body' ? 'property' : 'parameter'} of this call${there}` };
}

/** What is missing, down to the fields that a missing object would have had to hold. */
function sayMissing({ instancePath, params, parentSchema }: ErrorObject): FieldError[] {
  const { missingProperty: name } = params as { missingProperty: string };
  const inside = (parentSchema as ObjectSchema).properties?.[name]?.required ?? [];
  const pointers = inside.length > 0 ? inside.map((each) => `/${name}/${each}`) : [`/${name}`];
  return pointers.map((pointer) => ({ pointer: instancePath + pointer, detail: 'is missing' }));
}

const either = (words: readonly string[]): string => words.join(' or ');
const typeName = (value: unknown): string => (value === null ? 'null' : Array.isArray(value) ? 'array' : typeof value);
