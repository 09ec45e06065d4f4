import {
  fieldSchema,
  fieldsOf,
  mustBeGiven,
  writableFields,
  type Field,
  type FieldValues,
  type OwnFields,
  type ModelTableName,
  type WriteMoment,
} from '@gather-lane/core';
import { Type, type TOptional, type TUnsafe } from 'typebox';

/** The schema of a field's value where null stands for none. */
export function nullableFieldSchema(field: Field): Record<string, unknown> {
  const schema = fieldSchema(field);
  if (field.required) return schema;
  return {
    ...schema,
    type: [schema.type, 'null'],
    ...(Array.isArray(schema.enum) && { enum: [...(schema.enum as unknown[]), null] }),
  };
}

/** Own fields as a request carries them. */
type FieldsBody = TOptional<TUnsafe<FieldValues>>;

/**
 * The property `fields` of a request body: what the owner may write at that moment, and nothing else. Where a field
 * must be given to make a row, the property must be there.
 */
export function fieldsBody(model: OwnFields, table: ModelTableName, moment: WriteMoment): { fields: FieldsBody } {
  const writable = writableFields(model, table, moment);
  const required = moment === 'creation' ? writable.filter(mustBeGiven).map(({ name }) => name) : [];
  const schema = Type.Unsafe<FieldValues>({
    'type': 'object',
    'description': 'Fields of the developer’s own',
    'x-written-fields': true,
    'x-kept': keptFields(model, table, writable),
    'additionalProperties': false,
    'properties': Object.fromEntries(
      writable.map((field) => [field.name, { ...nullableFieldSchema(field), 'x-storable': true }]),
    ),
    ...(required.length > 0 && { required }),
  });
  return { fields: required.length > 0 ? (schema as unknown as FieldsBody) : Type.Optional(schema) };
}

/** Fields that there are and that are not the caller's to write at that moment. Those for the operator's eyes alone are not told. */
const keptFields = (model: OwnFields, table: ModelTableName, writable: readonly Field[]): Record<string, string> =>
  Object.fromEntries(
    fieldsOf(model, table)
      .filter((field) => field.audience !== 'operator' && !writable.includes(field))
      .map(({ name, writable: by }) => [
        name,
        by === 'operator'
          ? 'is written by the operator alone'
          : 'is written once, as the row is made, and not changed later',
      ]),
  );

/** The property `fields` of a reply: the document writes out whose they are. */
export const fieldsReply = (table: ModelTableName) =>
  Type.Record(Type.String(), Type.Unknown(), { 'description': 'Fields of the developer’s own', 'x-own-fields': table });

/**
 * How the API document describes the own fields of a reply. What only the operator is shown is not in it; what only
 * the owner is shown need not be there.
 */
export function describeFieldsReply(model: OwnFields, table: ModelTableName): Record<string, unknown> {
  const shown = model.filter((field) => field.table === table && field.audience !== 'operator');
  if (shown.length === 0) return {};
  return {
    patternProperties: undefined,
    properties: Object.fromEntries(
      shown.map((field) => {
        const schema = nullableFieldSchema(field);
        const owner = field.audience === 'owner' ? 'Shown to the owner alone' : null;
        const description = [schema.description, owner].filter(Boolean).join('. ');
        return [field.name, { ...schema, ...(description && { description }) }];
      }),
    ),
    required: shown.filter((field) => field.audience === 'anyone').map(({ name }) => name),
    additionalProperties: true,
  };
}
