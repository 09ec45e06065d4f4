import type { Capability } from '../../ground/capability/capability.js';
import { tracesCalls } from '../../ground/traces/is-on.js';
import { TRIALS } from './ownership.js';
import { TraceAnswer, TraceProcess, TraceQuestion } from './peer.entity.js';
import { Recorder } from './recorder.js';
import { settleRowTriggers } from './row-triggers.js';

const MEGABYTE = 1024 * 1024;

/** What calls did: their statements, and the rows that they changed. */
export const traces: Capability = {
  name: 'traces',
  entities: [TraceProcess, TraceQuestion, TraceAnswer],
  tables: {
    trace_processes: { shown: ['id', 'seen_at'], stays: true },
    trace_questions: { shown: ['id', 'asker', 'asked_at'], stays: true },
    trace_answers: { shown: ['question_id', 'process'], stays: true },
  },
  trials: TRIALS,
  start(house) {
    const { background, config, plan, demo } = house;
    const { calls, megabytes } = config.traces;
    const recorder = tracesCalls(config, demo)
      ? house.add(new Recorder(background, { calls, bytes: megabytes * MEGABYTE }))
      : null;
    recorder?.peers.begin();
    return {
      routes: async (app) =>
        (await import('./routes.js')).traceRoutes(app, {
          recorder,
          database: background,
          pages: house.pages,
          address: house.address,
        }),
      jobs: [
        // A weighting that was adopted has a table of its own; and a service that was killed has left its triggers behind.
        {
          does: 'make or take away what tells of rows',
          ofEachProcess: true,
          ...(recorder && { everySeconds: 15 }),
          // Who may not change the tables goes without their rows: it was said at the start.
          run: () => settleRowTriggers(background, plan, config.model, recorder !== null).catch(() => false),
        },
      ],
      stop: () => recorder?.peers.end() ?? Promise.resolve(),
    };
  },
};
