import type { Ajv } from 'ajv';
import {
  bodySchema,
  type ApiDocument,
  type ApiParameter,
  type ApiSchema,
  type FoundOperation,
} from '../api/operations.js';
import type { TextLimit } from '../text/characters.js';
import { requestAjv } from './request-ajv.js';
import { faultsOf, type RequestPart, type ValueFault } from './value-faults.js';

const ROOT = 'api';

/** Checks calls against an API document, with the rules and words of the service whose document it is. */
export class CallChecker {
  readonly #strict: Ajv;
  readonly #lenient: Ajv;

  constructor(document: ApiDocument) {
    const make = (coerce: boolean) => requestAjv<TextLimit & { line?: boolean }>(coerce, (limit) => limit);
    [this.#strict, this.#lenient] = [make(false), make(true)];
    for (const ajv of [this.#strict, this.#lenient]) ajv.addSchema({ $id: ROOT, ...document }, ROOT);
  }

  /** What is wrong with a body; an operation that takes none refuses any. */
  body({ operation }: FoundOperation, body: unknown): ValueFault[] {
    const taken = bodySchema(operation);
    if (taken === null) return body === undefined ? [] : [{ pointer: '', detail: 'is sent, but this call takes none' }];
    if (body === undefined) return operation.requestBody?.required ? [{ pointer: '', detail: 'is missing' }] : [];
    return this.#check(this.#strict, taken.schema, structuredClone(body), 'body');
  }

  /** What is wrong with the parameters of a path or query, as texts; those left out are undefined or empty. */
  parameters(
    { operation }: FoundOperation,
    where: 'path' | 'query',
    values: Readonly<Record<string, string>>,
  ): ValueFault[] {
    const all = (operation.parameters ?? []).filter((parameter) => parameter.in === where);
    const given = Object.fromEntries(Object.entries(values).filter(([, value]) => value !== ''));
    return this.#check(this.#lenient, objectOf(all), given, where === 'path' ? 'params' : 'querystring');
  }

  #check(ajv: Ajv, schema: ApiSchema, value: unknown, part: RequestPart): ValueFault[] {
    const validate = ajv.compile(absolute(schema) as object);
    if (validate(value)) return [];
    return faultsOf(validate.errors ?? [], part);
  }
}

const objectOf = (parameters: readonly ApiParameter[]): ApiSchema => ({
  type: 'object',
  properties: Object.fromEntries(parameters.map(({ name, schema }) => [name, schema ?? {}])),
  required: parameters.filter(({ required }) => required).map(({ name }) => name),
  additionalProperties: false,
});

/** References of a part of the document, as they are outside of it. */
export function absolute(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(absolute);
  if (typeof value !== 'object' || value === null) return value;
  // Bounds of characters say all that the bounds of code points, which are published beside them, do.
  const entries = Object.entries(value).filter(
    ([key]) => !('x-characters' in value) || (key !== 'minLength' && key !== 'maxLength'),
  );
  return Object.fromEntries(
    entries.map(([key, child]) => [
      key,
      key === '$ref' && typeof child === 'string' && child.startsWith('#') ? `${ROOT}${child}` : absolute(child),
    ]),
  );
}
