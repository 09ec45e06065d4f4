// npm test: installs what is missing, builds, runs every test. Arguments go to Jest.
import { spawnSync } from 'node:child_process';
import { build, linkCommand, needChromium, needNode, needPackages, needPostgres, root } from './steps.mjs';

needNode();
needPostgres();
needChromium();
needPackages();
build();
linkCommand();
const { status } = spawnSync(
  process.execPath,
  [
    '--experimental-vm-modules',
    '--disable-warning=ExperimentalWarning',
    'node_modules/jest/bin/jest.js',
    ...process.argv.slice(2),
  ],
  {
    cwd: root,
    stdio: 'inherit',
  },
);
process.exit(status ?? 1);
