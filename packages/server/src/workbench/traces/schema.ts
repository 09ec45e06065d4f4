import { Type } from 'typebox';
import { Instant, orNull, pageOf, pageQuery, Uuid } from '../../ground/http/schemas.js';

const Caller = Type.Object({
  kind: Type.String({ enum: ['nobody', 'user', 'operator'] }),
  id: orNull(Uuid),
  handle: orNull(Type.String()),
});
const Values = orNull(Type.Object({}, { additionalProperties: true, description: 'Public columns alone' }));

const RowChangeSchema = Type.Object(
  {
    table: Type.String(),
    key: orNull(Type.String({ description: 'Its primary key, as the Model page takes it' })),
    act: Type.String({ enum: ['inserted', 'changed', 'deleted'] }),
    before: Values,
    after: Values,
    changed: Type.Array(Type.String(), { description: 'Columns whose value is another now; masked ones too' }),
    masked: Type.Array(Type.String(), { description: 'Columns that are not public: their values were never kept' }),
    by: orNull(Type.String({ description: 'What did it where it was not the statement itself: a trigger, a cascade' })),
    statement: Type.Integer({ description: 'Which statement, counted from 0; -1 for one beyond those that are kept' }),
    undone: Type.Boolean({ description: 'Whether it was rolled back' }),
  },
  { $id: 'RowChange' },
);

const Counts = Type.Record(
  Type.String(),
  Type.Object({ inserted: Type.Integer(), changed: Type.Integer(), deleted: Type.Integer() }),
  { description: 'How many rows of each table, without those that were rolled back' },
);

/** The record of one call. */
export const TraceSchema = Type.Object(
  {
    id: Uuid,
    startedAt: Instant,
    method: Type.String(),
    route: Type.String(),
    operationId: orNull(Type.String()),
    path: Type.String({ description: 'As it was called, with what is neither id nor handle masked' }),
    caller: Caller,
    status: orNull(Type.Integer({ description: 'Null for a call that was cut off' })),
    problem: orNull(Type.String()),
    ms: Type.Number(),
    traceId: Type.String({ description: 'Of W3C trace context' }),
    parentId: orNull(Type.String()),
    rehearsed: Type.Boolean({ description: 'Whether all of it was rolled back on purpose' }),
    statements: Type.Array(
      Type.Object({
        text: Type.String(),
        capability: orNull(Type.String({ description: 'Whose code sent it' })),
        parameters: Type.Array(Type.String(), { description: 'What was sent along, by kind alone' }),
        at: Type.Number({ description: 'Milliseconds from the start of the call' }),
        ms: orNull(Type.Number()),
        rows: orNull(Type.Integer()),
        changed: Type.Integer({ description: 'Rows that it and what follows from it wrote' }),
        transaction: orNull(Type.Integer({ description: 'Null for one that commits by itself' })),
        shared: Type.Integer({ description: 'For how many calls it was sent together' }),
        error: orNull(Type.String({ description: 'SQLSTATE' })),
      }),
    ),
    moreStatements: Type.Integer({ description: 'Beyond those that are kept' }),
    rows: Type.Array(RowChangeSchema),
    moreRows: Type.Integer({ description: 'Beyond those that are kept' }),
    counts: Counts,
    warnings: Type.Array(
      Type.Object({
        kind: Type.String({ enum: ['repeated', 'scan', 'no-limit', 'apart', 'reads-more'] }),
        says: Type.String(),
        statements: Type.Array(Type.Integer()),
      }),
      { description: 'What a reviewer would say' },
    ),
  },
  { $id: 'Trace' },
);

/** A call in a list. */
export const TracedCallSchema = Type.Object(
  {
    id: Uuid,
    startedAt: Instant,
    method: Type.String(),
    route: Type.String(),
    caller: Caller,
    status: orNull(Type.Integer()),
    ms: Type.Number(),
    statements: Type.Integer(),
    rows: Type.Integer({ description: 'Rows inserted, changed and deleted' }),
    warnings: Type.Integer(),
    rehearsed: Type.Boolean({ description: 'Whether all of it was rolled back on purpose' }),
  },
  { $id: 'TracedCall' },
);
export const TracedCallsSchema = pageOf(TracedCallSchema, 'TracedCalls');

/** By what calls are chosen. */
export const tracesQuery = Type.Object({
  ...pageQuery,
  method: Type.Optional(Type.String({ pattern: '^(GET|POST|PUT|PATCH|DELETE|HEAD|OPTIONS)$' })),
  route: Type.Optional(
    Type.String({ maxLength: 200, description: 'As the API document writes it: `/v1/posts/{post}`' }),
  ),
  caller: Type.Optional(
    Type.String({
      pattern: '^(nobody|operator|user|@\\w{1,32})$',
      description: '`nobody`, `operator`, `user` or a @handle',
    }),
  ),
  status: Type.Optional(
    Type.String({ pattern: '^[1-5](\\d\\d|xx)$', description: 'One, as `404`, or a class, as `4xx`' }),
  ),
  minMs: Type.Optional(Type.Number({ minimum: 0, description: 'Took at least so many milliseconds' })),
  minRows: Type.Optional(Type.Integer({ minimum: 0, description: 'Changed at least so many rows' })),
  warned: Type.Optional(Type.Boolean({ description: 'Only those with a warning' })),
});

const Quantiles = { p50: Type.Number(), p95: Type.Number(), p99: Type.Number() };

/** What calls did lately, as figures. */
export const ActivitySchema = Type.Object(
  {
    seconds: Type.Integer({ description: 'How far back it looks' }),
    since: orNull(Instant),
    calls: Type.Integer(),
    perSecond: Type.Number({ description: 'Calls a second since then' }),
    parts: Type.Array(Type.Object({ calls: Type.Integer(), errors: Type.Integer() }), {
      description: 'Thirty parts of the time, the oldest first',
    }),
    routes: Type.Array(
      Type.Object({
        method: Type.String(),
        route: Type.String(),
        calls: Type.Integer(),
        failed: Type.Integer({ description: 'Answered 5xx, or cut off' }),
        refused: Type.Integer({ description: 'Answered 4xx' }),
        ...Quantiles,
      }),
    ),
    statements: Type.Object({
      from: Type.String({ enum: ['pg_stat_statements', 'traces'], description: 'Who counted them' }),
      items: Type.Array(
        Type.Object({
          text: Type.String(),
          calls: Type.Integer(),
          meanMs: Type.Number(),
          longestMs: Type.Number(),
          rows: Type.Integer(),
        }),
      ),
    }),
  },
  { $id: 'Activity' },
);
