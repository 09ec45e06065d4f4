import { Type } from 'typebox';
import { closed, Instant, orNull, Uuid, type Of } from '../../ground/http/schemas.js';

/** The numbers of a weighting, in whole units as people read them. */
const numbers = {
  halfLifeMs: Type.Integer({ description: 'How much time a doubling of engagement is worth' }),
  base: Type.Number({ description: 'Damps the first few acts' }),
  weights: Type.Record(Type.String(), Type.Number(), {
    description: 'For each kind of engagement; below 0 it holds a post back',
  }),
};

const Figures = Type.Object({
  medianAgeMs: orNull(Type.Number({ description: 'Median age of the posts of a first page' })),
  authorsSeen: Type.Number({ description: 'Which share of a feed’s authors are on its first page' }),
});

/** How first pages change from one weighting to another. */
const Change = Type.Object(
  {
    correlation: Type.Number({ description: 'Spearman’s rank correlation of the two first pages' }),
    kept: Type.Number({ description: 'Which share of the first page stays on it' }),
    now: Figures,
    then: Figures,
  },
  { description: 'How first pages change' },
);

/** A weighting with its history. */
export const WeightingSchema = Type.Object(
  {
    id: Type.Integer({ description: 'Its version' }),
    ...numbers,
    state: Type.String({
      enum: ['building', 'in-force', 'retired', 'past', 'cancelled', 'failed'],
      description: '`retired` was in force until lately: its standings are kept a day for scrolls under way',
    }),
    note: Type.String(),
    by: Type.String({ description: 'Who adopted it, as they said' }),
    createdAt: Instant,
    inForceFrom: orNull(Instant),
    inForceUntil: orNull(Instant),
    progress: orNull(
      Type.Object(
        {
          phase: Type.String({ description: 'copying, indexing, catching up or measuring' }),
          built: Type.Integer({ description: 'How many posts stand already' }),
          toBuild: orNull(Type.Integer()),
          secondsLeft: orNull(Type.Integer({ description: 'Of copying, at the speed so far' })),
        },
        { description: 'While it is being built' },
      ),
    ),
    effect: orNull(
      Type.Object(
        { viewers: Type.Integer(), change: orNull(Change) },
        {
          description:
            'What it did to the first pages of a sample of viewers, measured right before it came into force',
        },
      ),
    ),
  },
  { $id: 'Weighting' },
);

/** The weightings, newest first. */
export const WeightingList = Type.Object(
  { items: Type.Array(Type.Object(WeightingSchema.properties)), next: Type.Null() },
  { $id: 'WeightingList' },
);

const Place = orNull(
  Type.Object({ rank: Type.Integer({ description: 'From 1 on' }), laneTime: Instant, lift: Type.Number() }),
);

/** What a weighting would do. */
export const TrialSchema = Type.Object(
  {
    now: Type.Object({ id: Type.Integer(), ...numbers }),
    tried: Type.Object(numbers),
    viewer: orNull(
      Type.Object({
        handle: Type.String(),
        change: Change,
        posts: Type.Array(
          Type.Object({
            id: Uuid,
            handle: Type.String({ description: 'Of its author' }),
            text: Type.String({ description: 'How it begins' }),
            createdAt: Instant,
            now: Place,
            then: Place,
          }),
          {
            description:
              'Every post of the feed of now or of then, as deep as was asked; null where it is not that high',
          },
        ),
      }),
    ),
    sample: orNull(
      Type.Object({
        viewers: Type.Integer({ description: 'How many of them have anything in their feeds' }),
        change: orNull(Change),
        points: Type.Array(
          Type.Object({
            ageMs: Type.Integer(),
            now: Type.Number({ description: 'Lift, in half-lives' }),
            then: Type.Number(),
          }),
          { description: 'The posts of their first pages' },
        ),
      }),
    ),
  },
  { $id: 'WeightingTrial' },
);

const wanted = {
  halfLifeMs: Type.Optional(Type.Integer({ minimum: 60_000, maximum: 31_536_000_000 })),
  base: Type.Optional(Type.Number({ minimum: 0.001, maximum: 1_000_000 })),
  weights: Type.Optional(
    Type.Record(Type.String({ maxLength: 24 }), Type.Number({ minimum: -1_000, maximum: 1_000 }), {
      description: 'A kind that is not named keeps its weight',
    }),
  ),
};

/** Numbers to try; what is not named is as in the weighting in force. */
export const trialBody = closed({
  ...wanted,
  viewer: Type.Optional(Type.String({ minLength: 1, maxLength: 64, description: 'An id or @handle' })),
  depth: Type.Integer({ minimum: 1, maximum: 100, default: 20, description: 'How many posts of the viewer’s feed' }),
  sample: Type.Integer({ minimum: 0, maximum: 200, default: 20, description: 'How many other viewers are looked at' }),
});

/** Numbers to adopt. */
export const adoptBody = closed({
  ...wanted,
  earlier: Type.Optional(Type.Integer({ minimum: 1, description: 'Take the numbers of this earlier version instead' })),
  note: Type.String({ default: '', maxLength: 400, description: 'Why' }),
  by: Type.String({ default: 'operator', minLength: 1, maxLength: 60, description: 'Who adopts it, for the history' }),
});

/** A weighting as it is shown. */
export type WeightingView = Of<typeof WeightingSchema>;
/** A trial as it is answered. */
export type TrialView = Of<typeof TrialSchema>;
/** Numbers as callers give them. */
export type WantedNumbers = Pick<Of<typeof trialBody>, 'halfLifeMs' | 'base' | 'weights'>;
