import { Ajv, type ValidateFunction } from 'ajv';
import addFormats from 'ajv-formats';
import { RE2JS, RE2JSException } from 're2js';
import { columnRule, type Field } from './field.js';

/**
 * What is wrong with a pattern, or null. Patterns run in an engine of linear time (RE2's syntax), so what would need
 * to go back over the text is refused: no backreferences, no looking ahead or behind.
 */
export function patternFault(pattern: string): string | null {
  try {
    RE2JS.compile(pattern);
    return null;
  } catch (error) {
    if (!(error instanceof RE2JSException)) throw error;
    return `is no pattern that runs in linear time (RE2's syntax: no backreferences, no looking ahead or behind): ${error.message}`;
  }
}

/** Patterns of JSON Schema in linear time, as Ajv's engine option takes them. */
export const linearPatterns = Object.assign(
  (pattern: string) => {
    const compiled = RE2JS.compile(pattern);
    // Ajv tells patterns apart by their text: without one, the first would stand for all.
    return { test: (text: string) => compiled.matcher(text).find(), toString: () => pattern };
  },
  { code: 'linearPatterns' },
);

/** The JSON Schema of a field's value: of validation and of the API document alike. */
export function fieldSchema(field: Field): Record<string, unknown> {
  const { kind, pattern, description } = field;
  const said = description === null ? {} : { description };
  switch (kind) {
    case 'enum':
      return { type: 'string', enum: field.rule.enum, ...said };
    case 'string':
      return { type: 'string', ...columnRule(field), ...(pattern !== null && { pattern }), ...said };
    case 'integer':
      return { type: 'integer', ...columnRule(field), ...said };
    case 'number':
      return { type: 'number', ...field.rule, ...said };
    case 'boolean':
      return { type: 'boolean', ...said };
    case 'user':
      return { type: 'string', format: 'uuid', ...said };
    default:
      return { type: 'string', format: kind, ...said };
  }
}

const ajv = new Ajv({ strict: false, code: { regExp: linearPatterns } });
(addFormats as unknown as (ajv: Ajv) => void)(ajv);
const compiled = new WeakMap<Field, ValidateFunction>();

/** What is wrong with a value of a field, as a sentence without its subject, or null. Null itself fits what is not required. */
export function valueFault(field: Field, value: unknown): string | null {
  if (value === null) return field.required ? 'must not be null: the field is required' : null;
  if (typeof value === 'string') {
    const fault = characterFault(value);
    if (fault) return fault;
  }
  let validate = compiled.get(field);
  if (!validate) compiled.set(field, (validate = ajv.compile(fieldSchema(field))));
  if (validate(value)) return null;
  const error = validate.errors![0]!;
  return error.keyword === 'enum' ? `must be one of ${field.rule.enum!.join(', ')}` : (error.message ?? 'does not fit');
}

/** What PostgreSQL could not store of a text, or null. */
export function characterFault(text: string): string | null {
  if (text.includes('\0')) return 'must not contain the NUL character (U+0000): remove it';
  if (!text.isWellFormed()) return 'contains half of a surrogate pair, which is no character: send well-formed Unicode';
  return null;
}
