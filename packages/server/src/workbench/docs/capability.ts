import type { Capability } from '../../ground/capability/capability.js';

/** Pages about problems and configuration. */
export const docs: Capability = {
  name: 'docs',
  start: () => ({ routes: async (app) => (await import('./routes.js')).docsRoutes(app) }),
};
