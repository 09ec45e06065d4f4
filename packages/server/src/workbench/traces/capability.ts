import type { Capability } from '../../ground/capability/capability.js';
import { tracesCalls } from '../../ground/traces/is-on.js';
import { TRIALS } from './ownership.js';
import { FORGET_OLD_TEXTS, FORGET_OLD_TRACES } from './queries.js';
import { Recorder } from './recorder.js';
import { settleRowTriggers } from './row-triggers.js';
import { TraceText } from './trace-text.entity.js';
import { TraceRow } from './trace.entity.js';

const MEGABYTE = 1024 * 1024;

/** What calls did: their statements, and the rows that they changed. */
export const traces: Capability = {
  name: 'traces',
  entities: [TraceRow, TraceText],
  tables: {
    traces: {
      shown: [
        'n',
        'id',
        'process',
        'started_at',
        'method',
        'route',
        'caller',
        'user_id',
        'handle',
        'status',
        'ms',
        'statements',
        'rows',
        'warnings',
        'bytes',
      ],
    },
    trace_texts: { shown: ['hash', 'text', 'seen_at'] },
  },
  trials: TRIALS,
  start(house) {
    const { background, config, plan, demo } = house;
    const { calls, megabytes } = config.traces;
    const recorder = tracesCalls(config, demo)
      ? house.add(new Recorder(background, { calls, bytes: megabytes * MEGABYTE }))
      : null;
    const forget = async () => {
      await background.query(FORGET_OLD_TRACES);
      await background.query(FORGET_OLD_TEXTS);
    };
    return {
      routes: async (app) =>
        (await import('./routes.js')).traceRoutes(app, {
          recorder,
          database: background,
          pages: house.pages,
          address: house.address,
        }),
      jobs: [
        { does: 'forget old traces', run: forget },
        ...(recorder
          ? [
              {
                // A weighting that was adopted has a table of standings of its own.
                does: 'let every table tell of its rows',
                everySeconds: 15,
                run: () => settleRowTriggers(background, plan, config.model, true),
              },
            ]
          : []),
      ],
      stop: () => recorder?.keep() ?? Promise.resolve(),
    };
  },
};
