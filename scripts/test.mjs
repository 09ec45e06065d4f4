// npm test: installs what is missing, builds, runs every test. Arguments go to Jest.
import { spawn } from 'node:child_process';
import { constants } from 'node:os';
import { build, linkCommand, needChromium, needNode, needPackages, needPostgres, root } from './steps.mjs';

needNode();
needPostgres();
needChromium();
needPackages();
build();
linkCommand();
/**
 * Each suite loads all it tests anew: most code runs a few times and is gone. So V8 optimises only what runs for long, and keeps to the
 * thread it is on, where others have work for every processor. Saves a sixth of the time.
 */
const QUICK_TO_START = ['--interrupt-budget=1000000', '--single-threaded-gc', '--max-semi-space-size=32'];
const jest = spawn(
  process.execPath,
  [
    ...QUICK_TO_START,
    '--experimental-vm-modules',
    '--disable-warning=ExperimentalWarning',
    'node_modules/jest/bin/jest.js',
    ...process.argv.slice(2),
  ],
  {
    cwd: root,
    stdio: 'inherit',
    // A group of their own: what ends the tests reaches the services that they started, too.
    detached: true,
  },
);
const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP'];
for (const signal of SIGNALS) process.on(signal, () => process.kill(-jest.pid, signal));
jest.on('exit', (status, signal) => process.exit(status ?? 128 + constants.signals[signal]));
