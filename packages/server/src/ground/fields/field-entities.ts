import { columnOf, type Field, type OwnFields } from '@gather-lane/core';
import type { EntityClass } from '../capability/table.js';
import { Column, getMetadataArgsStorage, type ColumnType } from 'typeorm';
import { columnType } from './column-type.js';

const COLUMN_TYPES: Record<string, { type: ColumnType; precision?: number }> = {
  'double precision': { type: 'double precision' },
  'timestamp(3) with time zone': { type: 'timestamptz', precision: 3 },
};

/** bigint arrives as text; the values of a field are within what a number carries exactly. */
const wholeNumbers = {
  to: (value: unknown) => value,
  from: (value: unknown) => (value === null ? null : Number(value)),
};

/**
 * Maps the developer's own fields in the entities, as an embedded `fields`. To be called right before a data source
 * reads the metadata: TypeORM keeps these for the whole process, so an earlier model's are taken out first.
 */
export function mapFields(model: OwnFields, entities: Readonly<Record<string, EntityClass>>): void {
  const storage = getMetadataArgsStorage();
  for (const [table, target] of Object.entries(entities)) {
    const left = storage.embeddeds.filter((own) => !(own.target === target && own.propertyName === 'fields'));
    storage.embeddeds.splice(0, storage.embeddeds.length, ...left);
    const fields = model.filter((field) => field.table === table);
    if (fields.length === 0) continue;
    const Fields = class {};
    for (const field of fields) mapColumn(Fields.prototype, field);
    Column(() => Fields, { prefix: false })(target.prototype, 'fields');
  }
}

function mapColumn(prototype: object, { name, kind, required }: Field): void {
  const type = columnType(kind);
  Column({
    ...(COLUMN_TYPES[type] ?? { type: type as ColumnType }),
    name: columnOf(name),
    nullable: !required,
    ...(kind === 'integer' && { transformer: wholeNumbers }),
  })(prototype, name);
}
