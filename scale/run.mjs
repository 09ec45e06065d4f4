// npm run scale -- failover: what happens beyond one machine, on real engines of Debian's packages, which are installed where they are
// missing. All of it runs on this machine, on loopback. It is no part of the tests.
import { build, needNode, needPackages, needPostgres } from '../scripts/steps.mjs';

const WAYS = {
  failover: async () => (await import('./failover.mjs')).failover(),
  plan: async (more) => (await import('./plan.mjs')).plan(more),
  pooler: async () => (await import('./pooler.mjs')).pooler(),
  replicas: async () => (await import('./replicas.mjs')).replicas(),
};

const [name, ...more] = process.argv.slice(2);
if (!(name in WAYS) || (name !== 'plan' && more.length > 0)) {
  console.error(`Say what: npm run scale -- ${Object.keys(WAYS).join(' | ')}`);
  process.exit(2);
}
needNode();
needPostgres();
needPackages();
build();
process.exitCode = (await WAYS[name](more)) ? 0 : 1;
