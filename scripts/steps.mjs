// What the two commands of the README share: look what is missing, install it, build what changed.
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = dirname(dirname(fileURLToPath(import.meta.url)));

const say = (text) => console.error(`· ${text}`);

/** Runs a command with its output shown; ends this process when it fails. */
export function run(command, args, options = {}) {
  const { status, error } = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (error) fail(`${command} could not be run: ${error.message}`);
  if (status !== 0) fail(`${command} ${args.join(' ')} failed.`);
}

function fail(text) {
  console.error(text);
  process.exit(1);
}

export function needNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    fail(`Node ${process.versions.node} is too old: install Node 20.19 or later.`);
}

/** npm packages, as the lock file has them. */
export function needPackages() {
  const lock = readFileSync(join(root, 'package-lock.json'));
  const stamp = join(root, 'node_modules', '.gather-lane-lock');
  const wanted = createHash('sha256').update(lock).digest('hex');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return;
  say('Installing npm packages (a minute or two the first time)');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  writeFileSync(stamp, wanted);
}

const hasPostgres = () =>
  existsSync('/usr/lib/postgresql') &&
  readdirSync('/usr/lib/postgresql').some((v) => Number(v) >= 15 && existsSync(`/usr/lib/postgresql/${v}/bin/initdb`));

/** Debian's PostgreSQL server, without the cluster on 5432 that its installation would make. */
export function needPostgres() {
  if (hasPostgres() || process.env.GATHER_LANE_DATABASE_URL || process.env.PGHOST) return;
  say('Installing the PostgreSQL server');
  apt('postgresql-common');
  const { status, stderr } = root_('sh', [
    '-c',
    'mkdir -p /etc/postgresql-common && echo "create_main_cluster = false" >> /etc/postgresql-common/createcluster.conf',
  ]);
  if (status !== 0) fail(`The configuration of PostgreSQL could not be written: ${stderr}`);
  apt('postgresql');
  if (!hasPostgres())
    fail('PostgreSQL 15 or later could not be installed: install it by hand, or set GATHER_LANE_DATABASE_URL.');
}

/** A browser for the tests of the console: Chromium without its windows, which nobody would look at. */
export function needChromium() {
  if (existsSync('/usr/bin/chromium-headless-shell')) return;
  say('Installing Chromium for the tests');
  apt('chromium-headless-shell');
}

/** Packages of Debian that something beside the tests needs, installed where a file of each is missing. */
export function needDebian(packages) {
  for (const [name, file] of Object.entries(packages))
    if (!existsSync(file)) {
      say(`Installing ${name}`);
      apt(name);
    }
}

/** How long another package manager on this machine is waited for, in seconds. */
const LOCK_SECONDS = 300;

let updated = false;
function apt(name) {
  if (!existsSync('/usr/bin/apt-get')) fail(`${name} is missing and this is no Debian machine: install it by hand.`);
  if (!updated) aptGet('update', '-qq');
  updated = true;
  aptGet('install', '-y', '-qq', '--no-install-recommends', name);
}

/** Runs apt-get. It waits for the lock of the packages by itself, for that of their lists it is run again. */
function aptGet(...args) {
  const lock = ['-o', `DPkg::Lock::Timeout=${LOCK_SECONDS}`];
  const until = Date.now() + LOCK_SECONDS * 1000;
  for (let told = false; ; told = true) {
    const { status, stderr } = root_('env', [
      'DEBIAN_FRONTEND=noninteractive',
      'LC_ALL=C',
      'apt-get',
      ...lock,
      ...args,
    ]);
    if (status === 0) return;
    if (!/Could not get lock|Unable to lock/.test(stderr) || Date.now() > until) {
      process.stderr.write(stderr);
      fail(`apt-get ${args.join(' ')} failed.`);
    }
    if (!told) say('Another package manager is at work: waiting for it');
    spawnSync('sleep', ['2']);
  }
}

/** Runs a command as root: directly, or through sudo. */
function root_(command, args) {
  const asRoot = process.getuid() === 0;
  if (!asRoot && spawnSync('sudo', ['--version']).status !== 0)
    fail(`This needs root: run once as root, or install sudo.`);
  const quiet = { stdio: ['inherit', 'ignore', 'pipe'], encoding: 'utf8' };
  return asRoot ? spawnSync(command, args, quiet) : spawnSync('sudo', [command, ...args], quiet);
}

const sources = (path) => (statSync(join(root, path)).isFile() ? [join(root, path)] : sourcesIn(path));

const sourcesIn = (folder) =>
  readdirSync(join(root, folder), { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath ?? entry.path, entry.name))
    .filter((path) => !/node_modules|[/\\](dist|bundle)[/\\]|generated|openapi\.json|\.test\.|tsbuildinfo/.test(path))
    .sort();

function fingerprint(folders) {
  const hash = createHash('sha256');
  for (const path of folders.flatMap(sources)) hash.update(path).update(readFileSync(path));
  return hash.digest('hex');
}

/** Does a step of the build unless its inputs are the same as the last time. */
function step(name, folders, output, work) {
  const stamp = join(root, output, '.build-stamp');
  const wanted = fingerprint(folders);
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return false;
  say(`Building ${name}`);
  work();
  writeFileSync(stamp, wanted);
  return true;
}

const node = (...args) => run(process.execPath, args);
/** TypeScript 7: three times as fast as 6, which typescript-eslint and openapi-typescript still need. */
const tsc = (...args) => node('node_modules/typescript-7/bin/tsc', ...args);

/** Writes a package and all that it imports as few files, which is what runs: `scripts/bundle.mjs` says why. */
const bundle = (folder, entry, folders) =>
  step(`few files of ${folder}`, [...folders, 'package-lock.json', 'scripts/bundle.mjs'], `${folder}/bundle`, () =>
    node('scripts/bundle.mjs', folder, entry),
  );

/** Builds service, client, command and console, each only when something that it is made of changed. */
export function build() {
  step(
    'service',
    ['packages/words', 'packages/stand-ins', 'packages/core', 'packages/server'],
    'packages/server/dist',
    () => tsc('-b', 'packages/server'),
  );
  bundle('packages/server', 'index.js', ['packages/words', 'packages/stand-ins', 'packages/core', 'packages/server']);
  step(
    'client',
    ['packages/words', 'packages/stand-ins', 'packages/core', 'packages/server', 'packages/client'],
    'packages/client/dist',
    () => {
      node('scripts/generate-client.mjs');
      tsc('-b', 'packages/client');
    },
  );
  step(
    'command',
    ['packages/words', 'packages/stand-ins', 'packages/core', 'packages/server', 'packages/client', 'packages/cli'],
    'packages/cli/dist',
    () => tsc('-b', 'packages/cli'),
  );
  bundle('packages/cli', 'main.js', [
    'packages/words',
    'packages/core',
    'packages/server',
    'packages/client',
    'packages/cli',
  ]);
  step(
    'console',
    ['packages/words', 'packages/server', 'packages/client', 'packages/console'],
    'packages/server/dist/console',
    () =>
      run(process.execPath, [join(root, 'node_modules/vite/bin/vite.js'), 'build', '--logLevel', 'warn'], {
        cwd: join(root, 'packages/console'),
      }),
  );
}

export function linkCommand() {
  // npm links workspace commands when it installs; a checkout that was built later may lack the link.
  if (!existsSync(join(root, 'node_modules/.bin/gather-lane')))
    execFileSync('npm', ['rebuild', '--workspaces', '--silent'], { cwd: root });
}
