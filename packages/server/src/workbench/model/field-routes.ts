import { fieldsOf, MODEL_TABLES, type FieldValues, type OwnFields, type ModelTableName } from '@gather-lane/core';
import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { replies } from '../../ground/http/replies.js';
import { Uuid } from '../../ground/http/schemas.js';
import type { DataSource } from 'typeorm';
import type { Config } from '../../ground/config/schema.js';
import { nullableFieldSchema } from '../../ground/fields/field-schemas.js';
import { OperatorFields } from './operator-fields.js';

/** What these are made of. */
interface Needs {
  readonly database: DataSource;
  readonly config: Config;
}

const FieldsSchema = Type.Object(
  {
    fields: Type.Unsafe<FieldValues>({ type: 'object', additionalProperties: true }),
    kinds: Type.Record(Type.String(), Type.String(), { description: 'What each of them holds: string, integer, …' }),
  },
  { description: 'Every own field of a row' },
);

/** The operator's patch of a row: any own field of its table. The public document does not say which there are. */
const patchOf = (model: OwnFields, table: ModelTableName) =>
  Type.Unsafe<FieldValues>({
    'type': 'object',
    'additionalProperties': false,
    'properties': Object.fromEntries(
      fieldsOf(model, table).map((field) => [field.name, { ...nullableFieldSchema(field), 'x-storable': true }]),
    ),
    'x-operator-only': true,
  });

/** Routes by which the operator reads and writes own fields, those for their eyes alone among them. */
export function operatorFieldRoutes(app: App, { database, config }: Needs): void {
  const own = new OperatorFields(database, config.model);
  const params = Type.Object({ id: Uuid });
  for (const table of MODEL_TABLES) {
    const one = table.slice(0, -1);
    const name = `${one[0]!.toUpperCase()}${one.slice(1)}`;
    const kinds = Object.fromEntries(fieldsOf(config.model, table).map((field) => [field.name, field.kind]));
    const url = `/v1/operator/fields/${table}/:id`;
    app.get(
      url,
      {
        config: { doorway: 'operator' },
        schema: {
          operationId: `get${name}Fields`,
          tags: ['operator'],
          summary: `Every own field of a ${one}`,
          params,
          response: replies({ 200: FieldsSchema }, ['not-found']),
        },
      },
      async (request) => ({ fields: await own.read(table, request.params.id), kinds }),
    );
    app.patch(
      url,
      {
        config: { doorway: 'operator' },
        schema: {
          operationId: `set${name}Fields`,
          tags: ['operator'],
          summary: `Write own fields of a ${one}`,
          params,
          body: Type.Object(
            { fields: patchOf(config.model, table) },
            { additionalProperties: false, description: 'A merge patch (RFC 7396)' },
          ),
          response: replies({ 200: FieldsSchema }, ['not-found', 'invalid', 'taken', 'wrong-media-type']),
        },
      },
      async (request) => {
        await own.write(table, request.params.id, request.body.fields);
        return { fields: await own.read(table, request.params.id), kinds };
      },
    );
  }
}
