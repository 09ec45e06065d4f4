import { Type } from 'typebox';
import { Uuid, type Of } from '../../ground/http/schemas.js';

const Place = (unit: string) => Type.Integer({ minimum: 0, description: `In ${unit}` });

/** What of a text a client draws as more than text. */
export const SpanSchema = Type.Object(
  {
    kind: Type.Union([Type.Literal('hashtag'), Type.Literal('mention'), Type.Literal('link')]),
    from: Place('Unicode code points'),
    to: Place('Unicode code points'),
    utf16From: Place('UTF-16 units, as JavaScript counts'),
    utf16To: Place('UTF-16 units, as JavaScript counts'),
    hashtag: Type.Optional(Type.String({ description: 'Of a hashtag, the form that is compared' })),
    user: Type.Optional({ ...Uuid, description: 'Of a mention, the user: whatever their handle is today' }),
    url: Type.Optional(Type.String({ description: 'Of a link, where it leads' })),
  },
  { $id: 'Span' },
);
/** What of a text a client draws as more than text. */
export type SpanView = Of<typeof SpanSchema>;
