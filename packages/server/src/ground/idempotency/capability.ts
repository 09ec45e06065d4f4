import type { Capability } from '../capability/capability.js';
import { orphans } from '../capability/data-check.js';
import { RepeatableCall } from './repeatable-call.entity.js';
import { IdempotentCalls } from './service.js';

/** Calls that may be repeated and are done once. */
export const idempotency: Capability = {
  name: 'idempotency',
  entities: [RepeatableCall],
  tables: { repeatable_calls: { shown: ['user_id', 'route', 'made_id', 'created_at'] } },
  checks: [orphans('repeatable_calls', 'user_id', 'users')],
  start(house) {
    const calls = house.add(new IdempotentCalls(house.database));
    return { jobs: [{ does: 'forget keys of repeated calls', run: () => calls.forget() }] };
  },
};
