import { Identities } from '../../accounts/identities/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { LiveService } from './live-service.entity.js';
import { ModelMigration, ModelStep } from './model-migration.entity.js';
import { TRIALS } from './ownership.js';

/** The model of the database, and the developer's own fields in it. */
export const model: Capability = {
  name: 'model',
  entities: [ModelMigration, ModelStep, LiveService],
  tables: {
    model_migrations: { shown: ['id', 'begun_at', 'ended_at', 'state', 'undoes'], stays: true },
    model_steps: { shown: ['migration_id', 'n', 'field', 'does', 'begun_at', 'ended_at', 'rows'], stays: true },
    live_services: { shown: ['id', 'host', 'pid', 'started_at', 'seen_at'], stays: true },
  },
  trials: TRIALS,
  start: (house) => ({
    async routes(app) {
      const { database, background, config, plan, modelFile } = house;
      (await import('./field-routes.js')).operatorFieldRoutes(app, { database, config });
      (await import('./routes.js')).modelRoutes(app, {
        database,
        background,
        config,
        plan,
        modelFile,
        identities: house.get(Identities),
      });
    },
  }),
};
