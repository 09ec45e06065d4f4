import { normalAddress } from '@gather-lane/core';
import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { Lists } from '../../ground/standbys/lists.js';
import { AccountDeletion } from './deletion/service.js';
import { Credential } from './credential.entity.js';
import { NewAccounts } from './new-accounts.js';
import { TRIALS } from './ownership.js';
import { ReservedHandle } from './reserved-handle.entity.js';
import { Users } from './service.js';
import { User } from './user.entity.js';

/** Accounts and profiles. */
export const users: Capability = {
  name: 'users',
  entities: [User, Credential, ReservedHandle],
  ownFields: { users: User },
  tables: {
    users: {
      shown: [
        'id',
        'handle',
        'name',
        'bio',
        'audience',
        'moderator',
        'version',
        'created_at',
        'erased_at',
        'picture_id',
        'picture_file',
        'picture_link',
      ],
      filled: true,
      exported: {
        key: ['id'],
        afterwards: { column: 'picture_id', refersTo: 'uploads' },
        derived: ['picture_file'],
        mend: ({ picture_link: link, ...row }) => ({
          ...row,
          ...(link !== undefined && { picture_link: typeof link === 'string' ? normalAddress(link) : null }),
        }),
      },
    },
    credentials: {
      shown: ['user_id', 'demo'],
      secret: ['password_hash'],
      filled: true,
      exported: { key: ['user_id'] },
    },
    reserved_handles: { shown: ['handle', 'user_id', 'reserved_until'], exported: { key: ['handle'] } },
  },
  checks: [
    orphans('credentials', 'user_id', 'users'),
    {
      name: 'erased-users-with-credentials',
      means: 'a deleted account can still sign in',
      sql: `SELECT u.id::text, 'a credential' AS found, 'none' AS should FROM users u JOIN credentials c ON c.user_id = u.id WHERE u.erased_at IS NOT NULL`,
    },
    {
      name: 'picture-files',
      means: 'the file that is shown as a user’s picture is not that of their picture',
      repair: [`UPDATE users SET picture_id = picture_id WHERE id = ANY ($1)`],
      sql: `SELECT a.id::text, coalesce(a.picture_file, 'none') AS found, coalesce(b.id || '-' || b.widths[1] || '.webp', 'none') AS should
      FROM users a LEFT JOIN uploads u ON u.id = a.picture_id LEFT JOIN blobs b ON b.id = u.blob_id
      WHERE a.picture_file IS DISTINCT FROM b.id || '-' || b.widths[1] || '.webp'`,
    },
    {
      name: 'picture-links',
      means: 'the address of a picture elsewhere is none',
      sql: `SELECT id::text, left(picture_link, 80) AS found, 'an address in ASCII' AS should FROM users WHERE picture_link !~ '^https?://[!-~]+$'`,
    },
  ],
  trials: TRIALS,
  start(house) {
    const { database, pages, address, config } = house;
    const all = house.add(new Users(database, pages, address, config.model, config.draw.tiers));
    const newAccounts = house.add(new NewAccounts(database, config.limits.name));
    return {
      owners: { user: (reference, caller) => all.owned(reference, caller) },
      routes: async (app) =>
        (await import('./routes.js')).userRoutes(app, {
          users: all,
          newAccounts,
          lists: house.get(Lists),
          deletion: house.get(AccountDeletion),
          address,
          config,
        }),
    };
  },
};
