import { Type } from 'typebox';
import { closed, orNull, ref } from '../../ground/http/schemas.js';
import { TraceSchema } from '../traces/schema.js';

/** Who a call is made as. */
export const CallerWish = closed({
  as: Type.String({
    enum: ['nobody', 'user', 'blocked', 'ended', 'operator'],
    description:
      '`ended`: with a token whose session has ended; `blocked`: once whoever owns what the path names blocks them, where it is rolled back',
  }),
  user: Type.Optional(
    Type.String({ minLength: 1, maxLength: 64, description: 'An id or @handle, for `user`, `blocked` and `ended`' }),
  ),
});

const NAME = '^[A-Za-z][A-Za-z0-9-]{0,60}$';

/** A call to be made. */
export const CallsWish = closed({
  method: Type.String({ enum: ['GET', 'POST', 'PUT', 'PATCH', 'DELETE'] }),
  path: Type.String({ pattern: '^/v1/', maxLength: 4000, description: 'With its query' }),
  headers: Type.Optional(
    Type.Record(Type.String({ pattern: NAME }), Type.String({ maxLength: 1000 }), {
      description: 'Beside those that say who calls: If-Match, Idempotency-Key, traceparent',
      maxProperties: 20,
    }),
  ),
  body: Type.Optional(Type.Unknown({ description: 'Sent as JSON; left out for a call without a body' })),
  callers: Type.Array(CallerWish, { minItems: 1, maxItems: 12 }),
  keep: Type.Boolean({
    default: false,
    description:
      'Really do it, for one caller. Otherwise each call is made in a transaction of its own that is rolled back.',
  }),
});

/** What each caller met. */
export const CallOutcomesSchema = Type.Object(
  {
    outcomes: Type.Array(
      Type.Object({
        as: Type.String(),
        handle: orNull(Type.String()),
        kept: Type.Boolean(),
        says: orNull(Type.String({ description: 'Why it was not called; null where it was' })),
        status: orNull(Type.Integer()),
        headers: Type.Record(Type.String(), Type.String()),
        body: Type.Unknown({ description: 'As JSON where it is; else as text' }),
        trace: orNull(ref(TraceSchema)),
      }),
    ),
  },
  { $id: 'CallOutcomes' },
);

const Template = Type.String({ maxLength: 300, description: 'As the API document writes it: `/v1/posts/{post}`' });
const Texts = Type.Record(Type.String(), Type.String());

/** What is to be read before it is sent: one of the three. */
export const ProofWish = closed(
  {
    call: Type.Optional(
      closed({
        method: Type.String({ maxLength: 10 }),
        template: Template,
        parameters: Texts,
        body: Type.Optional(Type.Unknown()),
      }),
    ),
    walk: Type.Optional(Type.String({ description: 'The text of a walk file' })),
    value: Type.Optional(
      closed({ schema: Type.Object({}, { additionalProperties: true }), value: Type.Optional(Type.Unknown()) }),
    ),
  },
  { minProperties: 1, maxProperties: 1 },
);

/** What is wrong with it. */
export const ProofSchema = Type.Object(
  {
    faults: Type.Array(
      Type.Object({
        line: orNull(Type.Integer({ description: 'Of a walk file, counted from 1' })),
        where: Type.String({
          description: 'A JSON Pointer; of a walk, the step; `parameter/…` for one of the path or query',
        }),
        says: Type.String(),
      }),
    ),
    walk: Type.Unknown({ description: 'The walk as it was read; null where it could not be, or none was asked for' }),
  },
  { $id: 'Proof' },
);
