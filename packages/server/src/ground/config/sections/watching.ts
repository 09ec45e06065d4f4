import { Type } from 'typebox';
import { closed } from './closed.js';

/** What calls are kept of. */
export const Traces = Type.Object(
  {
    on: Type.Optional(
      Type.Boolean({
        description:
          'Write down what each call does: its statements, and the rows that it changes. Unless set, the demo does and nothing else.',
      }),
    ),
    calls: Type.Integer({
      default: 2000,
      minimum: 10,
      maximum: 100_000,
      description: 'How many calls each process keeps.',
    }),
    megabytes: Type.Integer({
      default: 32,
      minimum: 1,
      maximum: 4096,
      description: 'How much is kept of them at most.',
    }),
  },
  closed,
);

/** What is logged. */
export const Log = Type.Object(
  {
    level: Type.Union(
      ['debug', 'info', 'warn', 'error', 'silent'].map((level) => Type.Literal(level)),
      { default: 'warn', description: 'What is logged, as NDJSON on standard error.' },
    ),
  },
  closed,
);
