import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { readId } from '../../ground/http/doorway.js';
import { LogEntry } from './log-entry.entity.js';
import { TRIALS } from './ownership.js';
import { LogBook } from './service.js';

/** A small capability that the product does not have: what one says, and where it is found. */
export const logBook: Capability = {
  name: 'log book',
  entities: [LogEntry],
  tables: { log_entries: { shown: ['id', 'user_id', 'created_at'], exported: { key: ['id'] } } },
  checks: [
    orphans('log_entries', 'user_id', 'users'),
    {
      name: 'blank-log-entries',
      means: 'a line of a log book says nothing',
      sql: `SELECT id::text, 'nothing' AS found, 'a line' AS should FROM log_entries WHERE trim(line) = ''`,
      repair: [`DELETE FROM log_entries WHERE id = ANY ($1::uuid[])`],
    },
  ],
  trials: TRIALS,
  things: [
    {
      name: 'entry',
      make: `INSERT INTO log_entries (id, user_id, line) VALUES ($1, $2, 'Throw-away')`,
      snapshot: `SELECT jsonb_agg(to_jsonb(t) ORDER BY id) FROM log_entries t WHERE user_id = $1`,
    },
  ],
  start(house) {
    const all = house.add(new LogBook(house.database));
    return {
      owners: { entry: (reference) => all.owned(readId(reference, 'entry')) },
      routes: async (app) => (await import('./routes.js')).logBookRoutes(app, { logBook: all }),
      jobs: [{ does: 'forget old lines', run: () => all.forget() }],
    };
  },
};
