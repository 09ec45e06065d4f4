// npm run demo: from an empty machine to a following feed.
import { build, linkCommand, needNode, needPackages, needPostgres } from './steps.mjs';

needNode();
needPostgres();
needPackages();
build();
linkCommand();
process.argv.splice(2, 0, 'start', '--demo');
await import('../packages/cli/bundle/main.js');
