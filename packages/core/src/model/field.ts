/** The tables that a developer may add fields to. */
export const MODEL_TABLES = ['users', 'posts', 'comments'] as const;
/** A table that a developer may add fields to. */
export type ModelTableName = (typeof MODEL_TABLES)[number];

/** What a field holds; the type of its column follows from it. */
export type FieldKind = 'string' | 'enum' | 'integer' | 'number' | 'boolean' | 'date' | 'date-time' | 'user';

/** The bounds of a value, in JSON Schema's words: what the column's check holds too. */
export interface FieldRule {
  readonly enum?: readonly string[];
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly minimum?: number;
  readonly maximum?: number;
}

/** A value of a field, as JSON carries it. */
export type FieldValue = string | number | boolean | null;

/** Who is shown a field: everybody, the owner of the row, or the operator alone. */
export type Audience = 'anyone' | 'owner' | 'operator';
/** Who may write a field: its owner at any time, its owner when the row is made, or the operator alone. */
export type Writable = 'owner' | 'at-creation' | 'operator';

/** A field of the developer's own, on users, posts or comments. */
export interface Field {
  readonly table: ModelTableName;
  readonly name: string;
  readonly kind: FieldKind;
  readonly description: string | null;
  readonly rule: FieldRule;
  /** A pattern in RE2's syntax, found anywhere in the text. */
  readonly pattern: string | null;
  /** The value of rows that were made without one; null for none. */
  readonly default: FieldValue;
  readonly required: boolean;
  readonly unique: boolean;
  readonly indexed: boolean;
  readonly audience: Audience;
  readonly writable: Writable;
  /** Name of the maker that fills it with made-up values; null for whatever its rule allows. */
  readonly maker: string | null;
}

/** The developer's part of the model: every field of their own. */
export type OwnFields = readonly Field[];

/** No text of a field may have more code points. */
export const MOST_FIELD_CODE_POINTS = 4_000;
/** How many fields a table may have: PostgreSQL builds the object of a row from at most fifty pairs. */
export const MOST_FIELDS = 40;

/** The column of a field: `lockNumber` is `f_lock_number`. No two names have the same one. */
export const columnOf = (name: string): string => `f_${name.replace(/[A-Z]/g, (c) => `_${c.toLowerCase()}`)}`;

/** The field that a column is of; the way back from `columnOf`. */
export const fieldNameOf = (column: string): string =>
  column.slice('f_'.length).replace(/_([a-z])/g, (_, c: string) => c.toUpperCase());

/** How messages and answers name a field: `posts.lockNumber`. */
export const pathOf = (field: { readonly table: string; readonly name: string }): string =>
  `${field.table}.${field.name}`;

/** What a column holds for a field: fields of two kinds may be held alike. */
export type Held = 'text' | Exclude<FieldKind, 'string' | 'enum'>;

/** What the column of a field of this kind holds. */
export const heldAs = (kind: FieldKind): Held => (kind === 'string' || kind === 'enum' ? 'text' : kind);

/**
 * The rule that a field's column is checked by, every bound written out, in a fixed order; null for kinds whose type
 * says it all. Texts have a longest length and integers stay within what JSON can carry exactly, also when the
 * developer says nothing.
 */
export function columnRule({ kind, rule }: Pick<Field, 'kind' | 'rule'>): FieldRule | null {
  switch (kind) {
    case 'enum':
      return { enum: rule.enum ?? [] };
    case 'string':
      return { minLength: rule.minLength ?? 0, maxLength: rule.maxLength ?? MOST_FIELD_CODE_POINTS };
    case 'integer':
      return {
        minimum: rule.minimum ?? Number.MIN_SAFE_INTEGER,
        maximum: rule.maximum ?? Number.MAX_SAFE_INTEGER,
      };
    case 'number':
      return { minimum: rule.minimum ?? -Number.MAX_VALUE, maximum: rule.maximum ?? Number.MAX_VALUE };
    default:
      return null;
  }
}

/** Fields of one table. */
export const fieldsOf = (model: OwnFields, table: ModelTableName): Field[] =>
  model.filter((field) => field.table === table);
