import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { execFileSync, spawnSync } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { satisfies } from 'semver';
import { makeDatabase, urlOf } from '../packages/server/src/tests/test-database.js';
import { clean, startCommand, type Started } from './command.js';

const PACKAGES = ['words', 'core', 'client', 'server', 'cli'];
const OLDEST_NODE = '20.19.0';
let folder = '';
let database: Awaited<ReturnType<typeof makeDatabase>>;
let files: Record<string, string[]>;

interface Manifest {
  readonly dependencies?: Record<string, string>;
}

/** Installs the tarballs as npm would: each package with what it declares, and nothing else. */
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-packed-'));
  database = await makeDatabase();
  const scope = join(folder, 'node_modules/@gather-lane');
  files = {};
  const places = PACKAGES.flatMap((name) => ['-w', `packages/${name}`]);
  const packed = spawnSync('npm', ['pack', '--json', '--ignore-scripts', '--pack-destination', folder, ...places], {
    encoding: 'utf8',
  });
  const tarballs = JSON.parse(packed.stdout) as { name: string; filename: string; files: { path: string }[] }[];
  for (const name of PACKAGES) {
    const from = join(process.cwd(), 'packages', name);
    const { filename, files: listed } = tarballs.find((each) => each.name === `@gather-lane/${name}`)!;
    files[name] = listed.map(({ path }) => path);
    mkdirSync(join(scope, name), { recursive: true });
    execFileSync('tar', ['xzf', join(folder, filename), '-C', join(scope, name), '--strip-components=1']);
    const { dependencies = {} } = JSON.parse(readFileSync(join(scope, name, 'package.json'), 'utf8')) as Manifest;
    for (const dependency of Object.keys(dependencies).filter((other) => !other.startsWith('@gather-lane/')))
      link(dependency, from, join(scope, name, 'node_modules', dependency));
  }
});
afterAll(async () => {
  await database.drop();
  rmSync(folder, { recursive: true, force: true });
});

function link(dependency: string, from: string, to: string): void {
  const nested = join(from, 'node_modules', dependency);
  mkdirSync(dirname(to), { recursive: true });
  symlinkSync(existsSync(nested) ? nested : join(process.cwd(), 'node_modules', dependency), to);
}

test('holds the console, README and LICENSE, and no tests or traces of the build', () => {
  for (const name of PACKAGES) {
    expect(files[name]).toEqual(
      expect.arrayContaining(
        ['README.md', 'LICENSE', 'package.json', 'dist/index.js'].filter(
          (path) => name !== 'cli' || path !== 'dist/index.js',
        ),
      ),
    );
    expect(files[name]!.filter((path) => /\.test\.|\/tests\/|stamp|tsbuildinfo/.test(path))).toEqual([]);
  }
  expect(files.server).toContain('dist/console/index.html');
});

test('starts outside of the checkout, with API and console; the client reads from it', async () => {
  const command = join(folder, 'node_modules/@gather-lane/cli/bin/gather-lane.js');
  const service: Started = await startCommand(command, [], {
    cwd: folder,
    env: { GATHER_LANE_DATABASE_URL: urlOf(database.address) },
  });
  const page = await fetch(service.address);
  const html = await page.text();
  expect([page.status, page.headers.get('content-type')]).toEqual([200, expect.stringContaining('text/html')]);
  const script = /src="(\/[^"]+\.js)"/.exec(html)![1]!;
  expect((await fetch(service.address + script)).status).toBe(200);
  writeFileSync(
    join(folder, 'read.mjs'),
    `import { createClient, unwrap } from '@gather-lane/client';
const client = createClient({ address: ${JSON.stringify(service.address)} });
console.log(unwrap(await client.GET('/v1/posts')).items.length);
`,
  );
  const read = spawnSync(process.execPath, ['read.mjs'], { cwd: folder, encoding: 'utf8', env: clean() });
  expect([read.stdout, read.stderr]).toEqual(['0\n', '']);
  expect(await service.stop()).toBe(0);
});

test('a demo does without its stand-ins where they are not installed, and says how to have them', async () => {
  const command = join(folder, 'node_modules/@gather-lane/cli/bin/gather-lane.js');
  const service = await startCommand(command, ['--demo', '--data', 'demo'], {
    cwd: folder,
    env: { GATHER_LANE_DATABASE_URL: urlOf(database.address) },
  });
  expect(service.said()).toContain('npm install @gather-lane/stand-ins');
  const read = async (path: string) => (await fetch(service.address + path)).json() as Promise<Record<string, unknown>>;
  expect(await read('/v1/providers')).toMatchObject({ items: [] });
  expect(((await read('/v1/posts')).items as unknown[]).length).toBeGreaterThan(0);
  expect(await service.stop()).toBe(0);
});

test('nothing that it needs wants a newer Node than is promised', () => {
  const lock = JSON.parse(readFileSync('package-lock.json', 'utf8')) as {
    packages: Record<string, Manifest & { engines?: { node?: string }; optional?: boolean }>;
  };
  const seen = new Set<string>();
  const visit = (from: string): void => {
    const { dependencies = {}, engines, optional } = lock.packages[from]!;
    if (seen.has(from)) return;
    seen.add(from);
    if (engines?.node && !optional && !satisfies(OLDEST_NODE, engines.node)) tooNew.push(`${from} ${engines.node}`);
    for (const name of Object.keys(dependencies)) visit(find(from, name));
  };
  const find = (from: string, name: string): string => {
    if (name.startsWith('@gather-lane/')) return `packages/${name.slice(13)}`;
    for (let at = from; ; at = at.slice(0, Math.max(0, at.lastIndexOf('/')))) {
      const path = at === '' ? `node_modules/${name}` : `${at}/node_modules/${name}`;
      if (path in lock.packages) return path;
      if (at === '') throw new Error(`${from} needs ${name}, which is not locked`);
    }
  };
  const tooNew: string[] = [];
  for (const name of [...PACKAGES, 'stand-ins']) visit(`packages/${name}`);
  expect(seen.size).toBeGreaterThan(100);
  expect(tooNew).toEqual([]);
  expect(readdirSync(join(folder, 'node_modules/@gather-lane')).sort()).toEqual([...PACKAGES].sort());
});
