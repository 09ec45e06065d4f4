import type { Capability } from '../../../ground/capability/capability.js';
import { orphans } from '../../../ground/capability/data-check.js';
import { Sessions } from '../../sessions/service.js';
import { Erasure } from './erasure.entity.js';
import { AccountDeletion } from './service.js';

/** Deleting an account, which hides everything at once and erases it later. */
export const deletion: Capability = {
  name: 'deletion',
  entities: [Erasure],
  tables: { erasures: { shown: ['user_id', 'begun_at', 'erased'], exported: { key: ['user_id'] } } },
  checks: [orphans('erasures', 'user_id', 'users')],
  start(house) {
    const { database, background, config } = house;
    const accounts = house.add(new AccountDeletion(database, background, house.get(Sessions), config.model));
    return { jobs: [{ does: 'erase deleted accounts', run: () => accounts.erase() }] };
  },
};
