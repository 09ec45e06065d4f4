import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import type { Difference } from './meet.js';
import type { Json } from './walk.js';

const MOST = 10;

/**
 * Where a body does not fit a JSON Schema.
 * @throws Error for what is no schema
 */
export function unfitFor(schema: Json, body: Json | undefined): Difference[] {
  const ajv = new Ajv2020({ strict: false, allErrors: true, verbose: true });
  (addFormats as unknown as (ajv: Ajv2020) => void)(ajv);
  const validate = ajv.compile(schema as object);
  if (validate(body)) return [];
  return (validate.errors ?? []).slice(0, MOST).map(({ instancePath, message, data }) => ({
    at: `body${instancePath}`,
    expected: message ?? 'fits the schema',
    came: data as Json,
  }));
}
