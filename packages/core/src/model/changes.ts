import {
  columnRule,
  heldAs,
  type Field,
  type FieldKind,
  type FieldRule,
  type FieldValue,
  type OwnFields,
  type ModelTableName,
} from './field.js';

/** How an index stands in the database: an interrupted concurrent build leaves one that is not valid. */
export type IndexState = 'none' | 'valid' | 'broken';

/** A column of a field as it really is in the database. */
export interface PresentField {
  readonly table: ModelTableName;
  readonly name: string;
  /** What it holds; the storage's own word where no field is held like that. */
  readonly type: string;
  readonly required: boolean;
  readonly default: FieldValue;
  /** The rule of its check, or null when there is none. */
  readonly rule: FieldRule | null;
  /** False for a check that holds for new rows only, so far. */
  readonly ruleProved: boolean;
  readonly unique: IndexState;
  readonly index: IndexState;
  /** Whether the foreign key to users is there, and proved for every row. */
  readonly reference: 'none' | 'unproved' | 'proved';
}

/** Everything that a migration of the developer's can do to a column; there is nothing else. */
export type ChangeKind =
  | 'add-field'
  | 'drop-field'
  | 'change-type'
  | 'change-rule'
  | 'prove-rule'
  | 'require'
  | 'make-optional'
  | 'change-default'
  | 'make-unique'
  | 'allow-repeats'
  | 'add-index'
  | 'drop-index'
  | 'add-reference';

/** One change of one field. */
export interface Change {
  readonly kind: ChangeKind;
  readonly table: ModelTableName;
  readonly name: string;
  /** The field as it is wanted; null when it goes. */
  readonly field: Field | null;
  /** The column as it is; null when it is new. */
  readonly present: PresentField | null;
  /** What it does, in plain words. */
  readonly sentence: string;
}

/** Conversions of values that are known; all go through the text of a value. */
const CONVERSIONS: Partial<Record<string, readonly FieldKind[]>> = {
  'text': ['integer', 'number', 'boolean', 'date', 'date-time', 'user'],
  'integer': ['string', 'enum', 'number'],
  'number': ['string', 'enum', 'integer'],
  'boolean': ['string', 'enum'],
  'date': ['string', 'date-time'],
  'date-time': ['string'],
  'user': ['string'],
};

/** Whether the values of a column can become values of a field of this kind. */
export const canConvert = (type: string, to: FieldKind): boolean => CONVERSIONS[type]?.includes(to) ?? false;

const nothing: Omit<PresentField, 'table' | 'name' | 'type'> = {
  required: false,
  default: null,
  rule: null,
  ruleProved: true,
  unique: 'none',
  index: 'none',
  reference: 'none',
};

/**
 * What would make the columns that are there the columns of a model, in an order that can be carried out. Only what
 * the database keeps is compared: who sees a field, its pattern and its description need no migration.
 */
export function changesBetween(present: readonly PresentField[], wanted: OwnFields): Change[] {
  const added = wanted.flatMap((field) => changesOf(field, present.find((column) => isSame(column, field)) ?? null));
  const dropped = present
    .filter((column) => !wanted.some((field) => isSame(column, field)))
    .map((column) => change('drop-field', null, column, `Drop ${column.table}.${column.name} and what it holds.`));
  return [...added, ...dropped];
}

const isSame = (a: { table: string; name: string }, b: { table: string; name: string }): boolean =>
  a.table === b.table && a.name === b.name;

/** Rules are always written in one order, so their texts can be compared. */
const isSameRule = (a: FieldRule | null, b: FieldRule | null): boolean => JSON.stringify(a) === JSON.stringify(b);

function change(kind: ChangeKind, field: Field | null, present: PresentField | null, sentence: string): Change {
  const { table, name } = (field ?? present)!;
  return { kind, table, name, field, present, sentence };
}

function changesOf(field: Field, there: PresentField | null): Change[] {
  const path = `${field.table}.${field.name}`;
  const made: Change[] = [];
  const add = (kind: ChangeKind, sentence: string) => void made.push(change(kind, field, there, sentence));
  const type = heldAs(field.kind);
  const rule = columnRule(field);
  const converted = there !== null && there.type !== type;
  if (!there) add('add-field', `Add ${path}: ${describeField(field)}.`);
  else if (converted) add('change-type', `Turn ${path} from ${there.type} into ${describeField(field)}.`);
  // A column that is made or made again has its rule and its default from the start; a new one its NOT NULL too.
  const fresh = {
    ...nothing,
    rule,
    default: field.default,
    required: !there && field.required && field.default !== null,
  };
  const at = there && !converted ? there : fresh;
  if (!isSameRule(at.rule, rule))
    add(
      'change-rule',
      `Hold ${path} to ${describeRule(rule)}${at.rule ? ` instead of ${describeRule(at.rule)}` : ''}.`,
    );
  else if (!at.ruleProved)
    add('prove-rule', `Prove for every row that ${path} keeps its rule: so far it is held for new ones only.`);
  if (at.default !== field.default) add('change-default', describeDefault(path, at.default, field.default));
  if (field.required && !at.required) add('require', `Require ${path}: no row without a value.`);
  if (!field.required && at.required) add('make-optional', `Let ${path} be empty.`);
  if (field.kind === 'user' && at.reference !== 'proved')
    add('add-reference', `Let ${path} refer to users: emptied when that user is deleted.`);
  if (field.unique && at.unique !== 'valid') add('make-unique', `Make ${path} unique${broken(at.unique)}.`);
  if (!field.unique && at.unique !== 'none') add('allow-repeats', `Let values of ${path} repeat.`);
  const indexed = isIndexed(field);
  if (indexed && at.index !== 'valid') add('add-index', `Index ${path}${broken(at.index)}.`);
  if (!indexed && at.index !== 'none') add('drop-index', `Drop the index of ${path}.`);
  return made;
}

const broken = (state: IndexState): string =>
  state === 'broken' ? '; an index whose building was interrupted is thrown away first' : '';

/** A unique index serves look-ups too; every foreign key is indexed. */
export const isIndexed = (field: Field): boolean => !field.unique && (field.indexed || field.kind === 'user');

function describeDefault(path: string, before: FieldValue, after: FieldValue): string {
  if (after === null)
    return `Give new rows no value of ${path} of their own accord any more (it was ${JSON.stringify(before)}).`;
  return `Give new rows ${JSON.stringify(after)} as ${path}${before === null ? '' : ` instead of ${JSON.stringify(before)}`}.`;
}

/** A field's type and rule in plain words: `text of 1 to 40 characters, required`. */
export function describeField(field: Field): string {
  const { kind, required, unique } = field;
  const rule = columnRule(field);
  const type =
    kind === 'enum' || kind === 'string'
      ? describeRule(rule)
      : kind === 'user'
        ? 'a reference to a user'
        : kind === 'integer' || kind === 'number'
          ? `${kind === 'integer' ? 'whole number' : 'number'}${describeBounds(field.rule)}`
          : kind;
  const default_ = field.default === null ? [] : [`${JSON.stringify(field.default)} when nothing is said`];
  return [type, ...(required ? ['required'] : []), ...(unique ? ['unique'] : []), ...default_].join(', ');
}

function describeRule(rule: FieldRule | null): string {
  if (!rule) return 'its type alone';
  if (rule.enum) return `one of ${rule.enum.map((value) => JSON.stringify(value)).join(', ')}`;
  if (rule.maxLength !== undefined)
    return `text of ${rule.minLength ? `${rule.minLength} to` : 'up to'} ${rule.maxLength} characters`;
  return `numbers${describeBounds(rule) || ' of any size'}`;
}

function describeBounds({ minimum, maximum }: FieldRule): string {
  const [low, high] = [bound(minimum), bound(maximum)];
  if (low !== null && high !== null) return ` from ${low} to ${high}`;
  return low !== null ? ` from ${low} up` : high !== null ? ` up to ${high}` : '';
}

/** The widest bounds are ours, and say nothing to anybody. */
const bound = (value: number | undefined): number | null =>
  value === undefined || Math.abs(value) >= Number.MAX_SAFE_INTEGER ? null : value;

/** Whether every value that fits `narrow` fits `wide` too. */
export function covers(wide: FieldRule | null, narrow: FieldRule | null): boolean {
  if (!wide) return true;
  if (!narrow) return false;
  if (wide.enum) return (narrow.enum ?? []).every((value) => wide.enum!.includes(value)) && narrow.enum !== undefined;
  if (wide.maxLength !== undefined) {
    const lengths = narrow.enum?.map((value) => [...value].length);
    const least = lengths ? Math.min(...lengths) : (narrow.minLength ?? 0);
    const most = lengths ? Math.max(...lengths) : (narrow.maxLength ?? Infinity);
    return least >= (wide.minLength ?? 0) && most <= wide.maxLength;
  }
  return (
    (narrow.minimum ?? -Infinity) >= (wide.minimum ?? -Infinity) &&
    (narrow.maximum ?? Infinity) <= (wide.maximum ?? Infinity)
  );
}

/** A model as a running service believes in it: only what the database keeps. */
export interface KnownField {
  readonly table: ModelTableName;
  readonly name: string;
  readonly type: string;
  readonly rule: FieldRule | null;
  readonly required: boolean;
  readonly unique: boolean;
  readonly default: FieldValue;
}

/** What a service believes of a model. */
export const knownModel = (model: OwnFields): KnownField[] =>
  model.map((field) => ({
    table: field.table,
    name: field.name,
    type: heldAs(field.kind),
    rule: columnRule(field),
    required: field.required,
    unique: field.unique,
    default: field.default,
  }));

/**
 * Whether a service that runs with this model bears a change: that it reads and writes as before once the change is
 * made. What a service does not bear waits until it is gone.
 */
export function tolerates(model: readonly KnownField[], { kind, field, table, name }: Change): boolean {
  const own = model.find((candidate) => isSame(candidate, { table, name }));
  switch (kind) {
    case 'add-field':
    case 'prove-rule':
    case 'make-optional':
    case 'change-default':
    case 'allow-repeats':
    case 'add-index':
    case 'drop-index':
      return true;
    case 'drop-field':
    case 'change-type':
      return !own || (field !== null && own.type === heldAs(field.kind));
    case 'require':
      return own ? own.required : field!.default !== null;
    case 'change-rule':
      return !own || covers(columnRule(field!), own.rule);
    case 'make-unique':
      return !own || own.unique;
    case 'add-reference':
      return !own || own.type === 'user';
  }
}

/** Changes without which a service of the wanted model cannot work: columns that are missing, or of another type. */
export const isNeededFirst = ({ kind }: Change): boolean => kind === 'add-field' || kind === 'change-type';
