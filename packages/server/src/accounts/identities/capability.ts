import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { readId } from '../../ground/http/doorway.js';
import { Sessions } from '../sessions/service.js';
import { NewAccounts } from '../users/new-accounts.js';
import { Users } from '../users/service.js';
import { Identity } from './identity.entity.js';
import { TRIALS } from './ownership.js';
import { ProviderSignIn } from './provider-sign-in.entity.js';
import { Identities } from './service.js';
import { StandIn } from './stand-in.js';

/** Where throw-away identities come from: a name that nobody can have (RFC 2606). */
const THROW_AWAY_ISSUER = 'https://throw-away.invalid';

/** Who people are elsewhere. */
export const identities: Capability = {
  name: 'identities',
  entities: [Identity, ProviderSignIn],
  tables: {
    identities: { shown: ['id', 'issuer', 'user_id', 'created_at'], exported: { key: ['id'] } },
    provider_sign_ins: {
      shown: ['provider', 'user_id', 'created_at'],
      secret: ['ticket_hash', 'state', 'nonce', 'verifier'],
    },
  },
  checks: [orphans('identities', 'user_id', 'users')],
  trials: TRIALS,
  things: [
    {
      name: 'identity',
      // Two, for the last way in is never unlinked.
      make: `INSERT INTO identities (id, issuer, subject, user_id) SELECT i.id, '${THROW_AWAY_ISSUER}', i.id::text, $2::uuid
        FROM unnest(ARRAY[$1::uuid, gen_random_uuid()]) AS i (id)`,
      snapshot: `SELECT jsonb_agg(to_jsonb(t) ORDER BY id) FROM identities t WHERE user_id = $1`,
      leftOver: `DELETE FROM identities WHERE issuer = '${THROW_AWAY_ISSUER}' AND user_id IS NULL`,
    },
  ],
  start(house) {
    const { database, config, address } = house;
    const [users, sessions, standIn] = [house.get(Users), house.get(Sessions), house.find(StandIn)];
    const { providers, issuers } = config.signIn;
    const all = new Identities(database, house.get(NewAccounts), address, {
      model: config.model,
      providers: [...providers, ...(standIn ? [standIn.provider] : [])],
      issuers,
    });
    house.add(all);
    return {
      owners: { identity: (reference) => all.owned(readId(reference, 'identity')) },
      routes: async (app) =>
        (await import('./routes.js')).identityRoutes(app, { identities: all, sessions, users, config, address }),
      jobs: [{ does: 'forget sign-ins that nobody ended', run: () => all.forget() }],
    };
  },
};
