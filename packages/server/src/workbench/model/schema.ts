import { Type } from 'typebox';
import { Instant, orNull, ref } from '../../ground/http/schemas.js';
import { AnswersSchema } from './migration/answers.js';

const ColumnSchema = Type.Object({
  name: Type.String(),
  type: Type.String(),
  nullable: Type.Boolean(),
  default: orNull(Type.String()),
  comment: orNull(Type.String()),
});

const ConstraintSchema = Type.Object({
  name: Type.String(),
  kind: Type.String({ description: 'primary key, foreign key, unique or check' }),
  definition: Type.String(),
  columns: Type.Array(Type.String()),
  refersTo: orNull(Type.String()),
});

/** A table as it is in the database. */
export const ModelTableSchema = Type.Object(
  {
    name: Type.String(),
    comment: orNull(Type.String()),
    rows: Type.Integer(),
    estimated: Type.Boolean({ description: 'True where counting would take too long' }),
    bytes: Type.Integer(),
    columns: Type.Array(ColumnSchema),
    constraints: Type.Array(ConstraintSchema),
    indexes: Type.Array(Type.Object({ name: Type.String(), definition: Type.String(), bytes: Type.Integer() })),
  },
  { $id: 'ModelTable' },
);

/** The model, and the same as Mermaid. */
export const ModelReplySchema = Type.Object(
  {
    tables: Type.Array(ref(ModelTableSchema)),
    mermaid: Type.String({ description: 'An entity-relationship diagram' }),
  },
  { $id: 'Model' },
);

/** Rows of a table as text. */
export const ShownRowsSchema = Type.Object(
  {
    table: Type.String(),
    columns: Type.Array(
      Type.Object({
        name: Type.String(),
        showing: Type.String({ description: 'shown, masked, or secret: never shown' }),
      }),
    ),
    rows: Type.Array(
      Type.Object({
        key: Type.String({ description: 'The primary key; its parts with commas between' }),
        values: Type.Array(orNull(Type.String())),
      }),
    ),
  },
  { $id: 'ModelRows' },
);

/** One row and what it is associated with. */
export const AssociationsSchema = Type.Object(
  {
    row: ref(ShownRowsSchema),
    associations: Type.Array(
      Type.Object({
        by: Type.String({ description: 'The column of the foreign key' }),
        direction: Type.String({ description: 'refers to, or referred to by' }),
        count: Type.Integer(),
        rows: ref(ShownRowsSchema),
      }),
    ),
  },
  { $id: 'ModelRow' },
);

const ServiceSchema = Type.Object({ host: Type.String(), pid: Type.Integer(), startedAt: Instant });
const StepSchema = Type.Object({ does: Type.String(), phase: Type.String(), sql: Type.Array(Type.String()) });

/** What a migration would do. */
export const ChangesSchema = Type.Object(
  {
    fileChanged: Type.Boolean({ description: 'True where the model file is newer than the running service' }),
    changes: Type.Array(
      Type.Object({
        field: Type.String(),
        kind: Type.String(),
        holds: orNull(Type.String({ description: 'What the field holds: string, integer, …' })),
        sentence: Type.String(),
        hazards: Type.Array(
          Type.Object({
            kind: Type.String(),
            sentence: Type.String(),
            rows: Type.Integer(),
            examples: Type.Array(Type.String()),
            ways: Type.Array(Type.Object({ answer: Type.String(), does: Type.String() })),
            safely: orNull(Type.String({ description: 'What is done without asking' })),
            open: Type.Boolean({ description: 'Whether somebody has to choose' }),
          }),
        ),
        faults: Type.Array(Type.String()),
        steps: Type.Array(StepSchema),
        waitsFor: Type.Array(ServiceSchema, { description: 'Running services that do not bear it' }),
      }),
    ),
    leftovers: Type.Array(Type.Object({ field: Type.String(), does: Type.String(), sql: Type.Array(Type.String()) })),
    warnings: Type.Array(Type.String(), { description: 'What it would do beyond the tables, in sentences' }),
  },
  { $id: 'ModelChanges' },
);

/** A migration of the model, from the journal. */
export const MigrationSchema = Type.Object(
  {
    id: Type.Integer(),
    state: Type.String({ description: 'running, waiting, done or failed' }),
    begunAt: Instant,
    endedAt: orNull(Instant),
    note: orNull(Type.String()),
    undoes: orNull(Type.Integer()),
    steps: Type.Array(
      Type.Object({
        field: Type.String(),
        does: Type.String(),
        sql: Type.String(),
        rows: orNull(Type.Integer()),
        done: Type.Boolean(),
      }),
    ),
  },
  { $id: 'ModelMigration' },
);

/** What a migration is begun with. */
export const MigrateBody = Type.Object(
  {
    answers: Type.Optional(AnswersSchema),
    drop: Type.Optional(Type.Array(Type.String(), { description: 'Fields whose data may be lost' })),
  },
  { additionalProperties: false },
);
