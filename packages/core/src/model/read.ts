import { didYouMean } from '../text/nearest.js';
import {
  columnOf,
  MODEL_TABLES,
  MOST_FIELD_CODE_POINTS,
  MOST_FIELDS,
  type Field,
  type FieldKind,
  type FieldRule,
  type FieldValue,
  type OwnFields,
  type ModelTableName,
} from './field.js';
import { isMaker, makerFault, MAKER_NAMES } from './makers.js';
import { patternFault, valueFault } from './value.js';

/** A field as the model file writes it: JSON Schema's own words, and ours. */
export interface FieldSource {
  readonly type?: string;
  readonly format?: string;
  readonly references?: string;
  readonly description?: string;
  readonly enum?: readonly unknown[];
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly pattern?: string;
  readonly default?: unknown;
  readonly required?: boolean;
  readonly unique?: boolean;
  readonly indexed?: boolean;
  readonly audience?: Field['audience'];
  readonly writable?: Field['writable'];
  readonly fill?: string;
}

/** The section `model` of the configuration. */
export type ModelSource = Partial<Record<ModelTableName, { readonly fields?: Record<string, FieldSource> } | null>>;

/** Something wrong in the model file: where, and what to do. */
export interface ModelFault {
  /** Keys from the section `model` down. */
  readonly path: readonly string[];
  /** A sentence without its subject. */
  readonly text: string;
}

/** The longest column name: PostgreSQL cuts names at 63 bytes, and those of its rules and indexes are made from it. */
const LONGEST_COLUMN = 44;
const NAME = /^[a-z][A-Za-z0-9]*$/;

const KEYWORDS: Record<FieldKind, readonly (keyof FieldSource)[]> = {
  'string': ['minLength', 'maxLength', 'pattern'],
  'enum': ['enum'],
  'integer': ['minimum', 'maximum'],
  'number': ['minimum', 'maximum'],
  'boolean': [],
  'date': [],
  'date-time': [],
  'user': [],
};
const BOUNDS = ['enum', 'minLength', 'maxLength', 'minimum', 'maximum', 'pattern'] as const;

/** Reads the section `model`: the fields, and everything that is wrong with it. Its shape was checked before. */
export function readModel(source: ModelSource): { model: OwnFields; faults: ModelFault[] } {
  const model: Field[] = [];
  const faults: ModelFault[] = [];
  for (const table of MODEL_TABLES) {
    const fields = Object.entries(source[table]?.fields ?? {});
    if (fields.length > MOST_FIELDS)
      faults.push({
        path: [table, 'fields'],
        text: `has ${fields.length} fields, but a table may have at most ${MOST_FIELDS}: leave some out`,
      });
    for (const [name, written] of fields) {
      const path = [table, 'fields', name];
      const found = nameFault(name) ?? null;
      const { field, faults: inside } = readField(table, name, written ?? {});
      if (found) faults.push({ path, text: found });
      faults.push(...inside.map(({ key, text }) => ({ path: key ? [...path, key] : path, text })));
      model.push(field);
    }
  }
  return { model, faults };
}

function nameFault(name: string): string | null {
  if (!NAME.test(name))
    return 'is no name for a field: begin with a small letter, then letters and digits only (lockNumber)';
  if (name in Object.prototype) return 'has a meaning of its own in JavaScript: choose another name';
  const column = columnOf(name);
  return column.length > LONGEST_COLUMN
    ? `is too long: its column ${column} would have ${column.length} characters, and may have ${LONGEST_COLUMN}`
    : null;
}

interface Inside {
  readonly key: keyof FieldSource | null;
  readonly text: string;
}

function readField(table: ModelTableName, name: string, source: FieldSource): { field: Field; faults: Inside[] } {
  const faults: Inside[] = [];
  const wrong = (key: keyof FieldSource | null, text: string) => void faults.push({ key, text });
  const kind = kindOf(source, wrong);
  for (const key of BOUNDS)
    if (source[key] !== undefined && !KEYWORDS[kind].includes(key))
      wrong(key, `does not go with ${kind === 'user' ? 'a reference to a user' : `type ${kind}`}: leave it out`);
  const audience = source.audience ?? 'anyone';
  const field: Field = {
    table,
    name,
    kind,
    description: source.description ?? null,
    rule: ruleOf(source, kind),
    pattern: kind === 'string' ? (source.pattern ?? null) : null,
    default: (source.default ?? null) as FieldValue,
    required: source.required ?? false,
    unique: source.unique ?? false,
    indexed: source.indexed ?? false,
    audience,
    writable: source.writable ?? (audience === 'operator' ? 'operator' : 'owner'),
    maker: source.fill ?? null,
  };
  boundFaults(field, source, wrong);
  if (faults.length === 0) rightsFaults(field, wrong);
  if (faults.length === 0 && source.default !== undefined && source.default !== null) {
    const fault = valueFault(field, source.default);
    if (fault) wrong('default', `breaks the field's own rule: ${JSON.stringify(source.default)} ${fault}`);
  }
  return { field, faults };
}

type Wrong = (key: keyof FieldSource | null, text: string) => void;

function kindOf({ type, format, references, enum: values }: FieldSource, wrong: Wrong): FieldKind {
  if (references !== undefined) {
    if (references !== 'users') wrong('references', 'must be users: a field can refer to a user, to nothing else');
    if (type !== undefined && type !== 'string') wrong('type', 'must be string, or be left out: a reference is an id');
    if (format !== undefined && format !== 'uuid')
      wrong('format', 'must be uuid, or be left out: a reference is an id');
    return 'user';
  }
  if (type === undefined) {
    wrong(null, 'has no type: say string, integer, number or boolean, or references: users');
    return 'string';
  }
  if (type !== 'string') {
    if (format !== undefined) wrong('format', `does not go with type ${type}: leave it out`);
    if (values !== undefined)
      wrong('enum', `goes with type string: write the values as texts, or use minimum and maximum`);
    return type as FieldKind;
  }
  if (values !== undefined) {
    if (format !== undefined) wrong('format', 'does not go with enum: leave one of them out');
    return 'enum';
  }
  if (format === undefined) return 'string';
  if (format === 'date' || format === 'date-time') return format;
  wrong('format', `must be date or date-time, not ${format}: for a form of your own use pattern`);
  return 'string';
}

function ruleOf(source: FieldSource, kind: FieldKind): FieldRule {
  const { enum: values, minLength, maxLength, minimum, maximum } = source;
  if (kind === 'enum') return { enum: (values ?? []).filter((value) => typeof value === 'string') };
  if (kind === 'string')
    return { ...(minLength !== undefined && { minLength }), ...(maxLength !== undefined && { maxLength }) };
  if (kind === 'integer' || kind === 'number')
    return { ...(minimum !== undefined && { minimum }), ...(maximum !== undefined && { maximum }) };
  return {};
}

function boundFaults({ kind, rule, pattern, maker }: Field, source: FieldSource, wrong: Wrong): void {
  if (kind === 'enum') {
    const values = source.enum ?? [];
    if (values.length === 0) wrong('enum', 'is empty: name the values, or leave it out');
    if (values.some((value) => typeof value !== 'string')) wrong('enum', 'must hold texts only: quote the values');
    if (new Set(values).size !== values.length) wrong('enum', 'names a value twice: leave one out');
    if (
      values.some(
        (value) => typeof value === 'string' && (value === '' || value.includes('\0') || !value.isWellFormed()),
      )
    )
      wrong('enum', 'holds an empty text, or one that is no well-formed Unicode: correct it');
  }
  if (rule.maxLength !== undefined && rule.maxLength > MOST_FIELD_CODE_POINTS)
    wrong('maxLength', `may be at most ${MOST_FIELD_CODE_POINTS}`);
  if (rule.minLength !== undefined && rule.minLength > (rule.maxLength ?? MOST_FIELD_CODE_POINTS))
    wrong('minLength', `is above the longest length, ${rule.maxLength ?? MOST_FIELD_CODE_POINTS}: no text could fit`);
  if (rule.minimum !== undefined && rule.maximum !== undefined && rule.minimum > rule.maximum)
    wrong('minimum', `is above maximum ${rule.maximum}: no number could fit`);
  if (kind === 'integer')
    for (const key of ['minimum', 'maximum'] as const)
      if (rule[key] !== undefined && !Number.isSafeInteger(rule[key]))
        wrong(key, 'must be a whole number that JSON carries exactly (at most 2^53 − 1)');
  if (pattern !== null) {
    const fault = patternFault(pattern);
    if (fault) wrong('pattern', fault);
    if (rule.maxLength === undefined) wrong('pattern', 'needs a maxLength beside it: say how long the text may be');
  }
  if (maker !== null && !isMaker(maker))
    wrong('fill', `names no maker: there is ${MAKER_NAMES.join(', ')}${didYouMean(maker, MAKER_NAMES)}`);
  else if (maker !== null) {
    const fault = makerFault(maker, kind);
    if (fault) wrong('fill', fault);
  }
}

/** Who may see and write has to agree with what is asked of the field. */
function rightsFaults(field: Field, wrong: Wrong): void {
  const { kind, audience, writable, unique, required } = field;
  if (unique && audience !== 'anyone')
    wrong('unique', 'needs audience anyone: whether a value is taken would tell what only some may see');
  if (audience === 'operator' && writable !== 'operator')
    wrong('writable', 'must be operator where the audience is: nobody else may know of the field');
  if (kind === 'user' && required)
    wrong('required', 'does not go with a reference to a user: it is emptied when that user is deleted');
  if (kind === 'user' && field.default !== null)
    wrong('default', 'does not go with a reference to a user: leave it out');
  if (unique && field.default !== null)
    wrong('default', 'does not go with unique: the second row that takes it would be refused');
  if (required && writable === 'operator' && field.default === null)
    wrong('required', 'needs a default where only the operator may write: nobody could make a row');
}
