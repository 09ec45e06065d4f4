import type { Caller } from '../doorway/doorway.js';
import type { Audience, Field, FieldValue, OwnFields, ModelTableName, Writable } from './field.js';

/** Values of a row's own fields, by name. */
export type FieldValues = Readonly<Record<string, FieldValue>>;

function audienceOf(caller: Caller, ownerId: string | null): ReadonlySet<Audience> {
  if (caller.kind === 'operator') return new Set(['anyone', 'owner', 'operator']);
  return new Set(
    caller.kind === 'user' && ownerId !== null && caller.id === ownerId ? ['anyone', 'owner'] : ['anyone'],
  );
}

/**
 * What of a row's own fields the caller is shown. The one place where that is decided: lists, feeds, single replies
 * and the operator's routes all build `fields` here. A field that is not for the caller's eyes is absent, not null.
 */
export function visibleFields(
  model: OwnFields,
  table: ModelTableName,
  values: FieldValues | null,
  caller: Caller,
  ownerId: string | null,
): Record<string, FieldValue> {
  const audience = audienceOf(caller, ownerId);
  const shown = model.filter((field) => field.table === table && audience.has(field.audience));
  return Object.fromEntries(shown.map((field) => [field.name, plainValue(field, values?.[field.name] ?? null)]));
}

/** Instants as the API writes them everywhere: UTC with milliseconds. */
function plainValue({ kind }: Field, value: FieldValue): FieldValue {
  return kind === 'date-time' && typeof value === 'string' ? new Date(value).toISOString() : value;
}

/** When a field is written: as the row is made, or later. */
export type WriteMoment = 'creation' | 'edit';

/** The fields that the owner of a row may write at a moment. */
export function writableFields(model: OwnFields, table: ModelTableName, moment: WriteMoment): Field[] {
  const allowed: Writable[] = moment === 'creation' ? ['owner', 'at-creation'] : ['owner'];
  return model.filter((field) => field.table === table && allowed.includes(field.writable));
}

/** Whether a row cannot be made without the field being given. */
export const mustBeGiven = (field: Field): boolean => field.required && field.default === null;
