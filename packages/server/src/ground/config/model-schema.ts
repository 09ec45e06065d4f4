import { Type } from 'typebox';
import { closed } from './sections/closed.js';

const oneOf = <T extends string>(...values: T[]) => Type.Union(values.map((value) => Type.Literal(value)));

/** A field of the developer's own, in JSON Schema's words as far as they go. */
const FieldSchema = Type.Object(
  {
    type: Type.Optional(oneOf('string', 'integer', 'number', 'boolean')),
    format: Type.Optional(Type.String({ description: 'date or date-time; for texts of type string' })),
    references: Type.Optional(
      Type.String({ description: 'users: the id of a user, emptied when that user is deleted' }),
    ),
    description: Type.Optional(Type.String({ maxLength: 400 })),
    enum: Type.Optional(Type.Array(Type.Unknown(), { description: 'The values that a text may have' })),
    minLength: Type.Optional(Type.Integer({ minimum: 0 })),
    maxLength: Type.Optional(Type.Integer({ minimum: 1 })),
    minimum: Type.Optional(Type.Number()),
    maximum: Type.Optional(Type.Number()),
    pattern: Type.Optional(
      Type.String({ description: 'In RE2’s syntax, which runs in linear time; needs a maxLength' }),
    ),
    default: Type.Optional(Type.Unknown({ description: 'The value of rows that are made without one' })),
    required: Type.Optional(Type.Boolean({ description: 'No row without a value' })),
    unique: Type.Optional(Type.Boolean({ description: 'No two rows with the same value' })),
    indexed: Type.Optional(Type.Boolean({ description: 'Looked up often' })),
    audience: Type.Optional(oneOf('anyone', 'owner', 'operator')),
    writable: Type.Optional(oneOf('owner', 'at-creation', 'operator')),
    fill: Type.Optional(Type.String({ description: 'The maker that fills it with made-up values' })),
  },
  closed,
);

const TableSchema = Type.Object({ fields: Type.Optional(Type.Record(Type.String(), FieldSchema)) }, closed);

/** The section `model`: fields of the developer's own, by table. */
export const ModelSchema = Type.Object(
  {
    users: Type.Optional(TableSchema),
    posts: Type.Optional(TableSchema),
    comments: Type.Optional(TableSchema),
  },
  { ...closed, description: 'Fields of your own on users, posts and comments' },
);
