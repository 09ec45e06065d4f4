import { Type } from 'typebox';
import { ConfigError } from '../../ground/config/load.js';
import type { HousePlan } from '../../ground/capability/house-plan.js';
import type { App } from '../../ground/http/app-type.js';
import { Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { orNull, ref } from '../../ground/http/schemas.js';
import type { OwnFields } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { Config } from '../../ground/config/schema.js';
import type { Identities } from '../../accounts/identities/service.js';
import { describeModel, describeShape, modelAsMermaid } from './describe.js';
import { migrateModel, MigrationRefused, previewMigration } from './migration/migrate.js';
import { planAsJson } from './migration/plan.js';
import { ModelMigration } from './model-migration.entity.js';
import { ModelRows } from './rows.js';
import {
  AssociationsSchema,
  ChangesSchema,
  MigrateBody,
  MigrationSchema,
  ModelReplySchema,
  ModelTableSchema,
  ShownRowsSchema,
} from './schema.js';

/** What these are made of. */
interface Needs {
  readonly modelFile: () => OwnFields;
  readonly database: DataSource;
  readonly background: DataSource;
  readonly plan: HousePlan;
  readonly config: Config;
  readonly identities: Identities;
}

const tableParam = { table: Type.String({ maxLength: 63 }) };
const reveal = Type.Boolean({ default: false, description: 'Show private columns too; secrets never' });
const MOST_LISTED = 10;

/** Routes by which the operator looks at the model, and migrates the developer's own fields. */
export function modelRoutes(app: App, services: Needs): void {
  const { database, background, config, plan, identities } = services;
  for (const schema of [
    ModelTableSchema,
    ModelReplySchema,
    ShownRowsSchema,
    AssociationsSchema,
    ChangesSchema,
    MigrationSchema,
  ])
    app.addSchema(schema);

  app.get(
    '/v1/operator/model',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readModel',
        tags: ['operator'],
        summary: 'The model as it really is in the database',
        response: replies({ 200: ref(ModelReplySchema) }),
      },
    },
    async () => {
      const tables = await describeModel(database);
      return { tables, mermaid: modelAsMermaid(tables) };
    },
  );

  app.get(
    '/v1/operator/model/tables/:table/rows',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readModelRows',
        tags: ['operator'],
        summary: 'The first rows of a table',
        params: Type.Object(tableParam),
        querystring: Type.Object({ limit: Type.Integer({ minimum: 1, maximum: 50, default: 10 }), reveal }),
        response: replies({ 200: ref(ShownRowsSchema) }, ['not-found']),
      },
    },
    async (request) => {
      const rows = new ModelRows(
        database,
        { plan, model: config.model },
        await describeShape(database),
        request.query.reveal,
      );
      return rows.first(request.params.table, request.query.limit);
    },
  );

  app.get(
    '/v1/operator/model/tables/:table/rows/:key',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readModelRow',
        tags: ['operator'],
        summary: 'One row, and what it is associated with, both ways',
        params: Type.Object({ ...tableParam, key: Type.String({ maxLength: 200 }) }),
        querystring: Type.Object({ reveal }),
        response: replies({ 200: ref(AssociationsSchema) }, ['not-found']),
      },
    },
    async (request) => {
      const rows = new ModelRows(
        database,
        { plan, model: config.model },
        await describeShape(database),
        request.query.reveal,
      );
      return rows.one(request.params.table, request.params.key);
    },
  );

  app.get(
    '/v1/operator/model/changes',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readModelChanges',
        tags: ['operator'],
        summary: 'What the model file would change in the tables, and what the rows would suffer',
        response: replies({ 200: ref(ChangesSchema) }, ['model-file']),
      },
    },
    async () => {
      const model = modelFile(services);
      const fileChanged = JSON.stringify(model) !== JSON.stringify(config.model);
      const { changes, leftovers } = planAsJson(await previewMigration(background, model, { answers: {}, drop: [] }));
      return { fileChanged, changes, leftovers, warnings: identities.warningsOf(model) };
    },
  );

  app.post(
    '/v1/operator/model/migrations',
    {
      config: { lasting: 'it changes the tables, step by step', doorway: 'operator' },
      schema: {
        operationId: 'migrateModel',
        tags: ['operator'],
        summary: 'Bring the tables to the model file',
        description: 'Answers as soon as it is under way; the migration itself tells how far it is.',
        body: MigrateBody,
        response: replies({ 202: Type.Object({ id: orNull(Type.Integer()) }) }, [
          'model-file',
          'hazards',
          'invalid',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      const { answers = {}, drop = [] } = request.body;
      const id = await new Promise<number | null>((resolve, reject) => {
        migrateModel(background, modelFile(services), { answers, drop, begun: resolve })
          .then((result) => resolve(result.id))
          .catch((error: unknown) => {
            // Once it is under way, its journal says why it failed.
            if (error instanceof MigrationRefused) reject(new Problem('hazards', error.message));
            else reject(error);
            request.log.error(error);
          });
      });
      return reply.code(202).send({ id });
    },
  );

  app.get(
    '/v1/operator/model/migrations',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'listModelMigrations',
        tags: ['operator'],
        summary: 'The latest migrations of the model, newest first',
        response: replies({ 200: Type.Object({ items: Type.Array(ref(MigrationSchema)) }) }),
      },
    },
    async () => {
      const found = await database.manager.find(ModelMigration, {
        order: { id: 'DESC', steps: { n: 'ASC' } },
        relations: { steps: true },
        take: MOST_LISTED,
      });
      return { items: found.map(toReply) };
    },
  );
}

/** The model file as it is now. @throws Problem `model-file` when it cannot be used */
function modelFile({ modelFile: read }: Needs) {
  try {
    return read();
  } catch (error) {
    throw error instanceof ConfigError ? new Problem('model-file', error.message) : error;
  }
}

const toReply = ({ id, state, begunAt, endedAt, note, undoes, steps }: ModelMigration) => ({
  id,
  state,
  begunAt: begunAt.toISOString(),
  endedAt: endedAt?.toISOString() ?? null,
  note,
  undoes,
  steps: (steps ?? []).map(({ field, does, sql, rows, endedAt: ended }) => ({
    field,
    does,
    sql,
    rows,
    done: ended !== null,
  })),
});
