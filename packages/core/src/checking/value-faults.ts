import type { ErrorObject } from 'ajv';
import { didYouMean } from '../text/nearest.js';

/** What is wrong with one value of a request. */
export interface ValueFault {
  /** Where it stands, as a JSON Pointer (RFC 6901). */
  readonly pointer: string;
  /** What is wrong, as a sentence without its subject. */
  readonly detail: string;
}

/** A part of a request. */
export type RequestPart = 'body' | 'querystring' | 'params' | 'headers';

/** What Ajv found, in words: each fault once, and what would be right. */
export const faultsOf = (errors: readonly ErrorObject[], part: RequestPart): ValueFault[] =>
  tellApart(errors).flatMap((error) => say(error, part));

/** Faults as one sentence. */
export const sayFaults = (faults: readonly ValueFault[]): string =>
  `${faults.map(({ pointer, detail }) => `${pointer.slice(1) || 'The body'} ${detail}`).join('; ')}.`;

/** What a choice between schemas says, put together: a reader is told once what would be right, not what each branch misses. */
function tellApart(errors: readonly ErrorObject[]): ErrorObject[] {
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

function say(error: ErrorObject, part: RequestPart): ValueFault[] {
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

function sayUnknown({ instancePath, params, parentSchema }: ErrorObject, part: RequestPart): ValueFault {
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
function sayMissing({ instancePath, params, parentSchema }: ErrorObject): ValueFault[] {
  const { missingProperty: name } = params as { missingProperty: string };
  const inside = (parentSchema as ObjectSchema).properties?.[name]?.required ?? [];
  const pointers = inside.length > 0 ? inside.map((each) => `/${name}/${each}`) : [`/${name}`];
  return pointers.map((pointer) => ({ pointer: instancePath + pointer, detail: 'is missing' }));
}

const either = (words: readonly string[]): string => words.join(' or ');
const typeName = (value: unknown): string => (value === null ? 'null' : Array.isArray(value) ? 'array' : typeof value);
