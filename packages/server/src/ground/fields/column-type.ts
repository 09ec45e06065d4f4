import { heldAs, type FieldKind, type Held } from '@gather-lane/core';

const TYPES: Record<Held, string> = {
  'text': 'text',
  'integer': 'bigint',
  'number': 'double precision',
  'boolean': 'boolean',
  'date': 'date',
  'date-time': 'timestamp(3) with time zone',
  'user': 'uuid',
};

/** The PostgreSQL type of a field's column, as the catalogue writes it. */
export const columnType = (kind: FieldKind): string => TYPES[heldAs(kind)];

/** What a column of this type, as the catalogue writes it, holds for a field; the type itself where no field has such. */
export const heldIn = (type: string): string => Object.entries(TYPES).find(([, own]) => own === type)?.[0] ?? type;
