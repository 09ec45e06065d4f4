import { Type } from 'typebox';
import { closed } from './closed.js';

/** What notifications are kept. */
export const Notifications = Type.Object(
  {
    days: Type.Integer({
      default: 90,
      minimum: 1,
      maximum: 3650,
      description: 'For how long notifications are kept. That somebody was told of an act is remembered beyond.',
    }),
  },
  closed,
);

/** Streams of what happens. */
export const Live = Type.Object(
  {
    streamsPerUser: Type.Integer({
      default: 12,
      minimum: 1,
      maximum: 1000,
      description: 'How many streams of events one user may have open.',
    }),
    streamsPerProcess: Type.Integer({
      default: 3000,
      minimum: 1,
      maximum: 100_000,
      description: 'How many streams of events one process serves.',
    }),
    keptHours: Type.Integer({
      default: 24,
      minimum: 1,
      maximum: 168,
      description: 'For how long a stream can be taken up again where it broke off.',
    }),
  },
  closed,
);

/** Who is drawn first. */
export const Draw = Type.Object(
  {
    tiers: Type.Array(
      Type.Object(
        {
          name: Type.String({ minLength: 1, maxLength: 30, description: 'As people read it.' }),
          from: Type.Number({ description: 'The draw at which it begins, in doublings.' }),
        },
        closed,
      ),
      {
        default: [
          { name: 'stillwater', from: -1000 },
          { name: 'trickle', from: 0.5 },
          { name: 'drift', from: 1.5 },
          { name: 'current', from: 3 },
          { name: 'spate', from: 5 },
        ],
        minItems: 1,
        description: 'Tiers of what the posts of an author drew in the last seven days, the lowest first.',
      },
    ),
  },
  closed,
);
