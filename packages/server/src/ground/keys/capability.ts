import type { Capability } from '../capability/capability.js';
import { SigningKey } from './signing-key.entity.js';

/** The keys that sign tokens and cursors, shared by all processes of a database. */
export const keys: Capability = {
  name: 'keys',
  entities: [SigningKey],
  tables: { signing_keys: { shown: ['id', 'purpose', 'created_at'], secret: ['secret'], stays: true } },
  start: ({ cursors }) => ({
    jobs: [{ does: 'renew the key of cursors, and forget old ones', run: () => cursors.tidy() }],
  }),
};
