import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { makeDatabase, urlOf } from '../packages/server/src/tests/test-database.js';
import { startTestService } from '../packages/server/src/tests/test-service.js';
import { clean, run, start } from './command.js';
import { startDemo, type DemoService } from './demo-service.js';

let demo: DemoService;
let folder: string;
beforeAll(async () => {
  demo = await startDemo();
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-accounts-'));
});
afterAll(async () => {
  await demo.end();
  rmSync(folder, { recursive: true });
});

/** Runs the command as a user of the demo, each with a session of their own. */
const as = (handle: string) => async (args: string[], input?: string) => {
  const env = { GATHER_LANE_ADDRESS: demo.address, GATHER_LANE_SESSION_FILE: join(folder, `${handle}.json`) };
  const result = await run(args, { cwd: demo.folder, env, ...(input !== undefined && { input }) });
  return { ...result, text: result.out + result.err };
};
const signedIn = async (handle: string) => {
  const call = as(handle);
  expect((await call(['sign-in', handle])).code).toBe(0);
  return call;
};
const idOf = (out: string) => (JSON.parse(out) as { id: string }).id;

describe('keeping order from the command line', () => {
  test('delete, removed, restore; and as a moderator withhold, with a reason', async () => {
    const [odile, bram] = [await signedIn('odile'), await signedIn('bram')];
    const id = idOf((await odile(['post', 'Found a glove', '--json'])).out);
    expect((await odile(['delete', id])).out).toMatch(/Bring it back with `gather-lane restore/);
    expect((await odile(['removed'])).out).toMatch(/post +you +.* yes +Found a glove/);
    expect((await odile(['restore', id])).code).toBe(0);
    expect((await bram(['delete', id])).err).toMatch(/a moderator says why/);
    expect((await bram(['withhold', id, '--reason', 'whose glove?'])).code).toBe(0);
    expect((await odile(['removed'])).out).toMatch(/withheld[\s\S]*because: whose glove\?/);
    expect((await odile(['restore', id])).err).toMatch(/only a moderator can bring it back/);
    expect((await bram(['restore', id, '--reason', 'hers'])).code).toBe(0);
    expect((await bram(['moderations'])).out).toMatch(/restore[\s\S]*withhold/);
    const moderators = await run(['moderators'], { cwd: demo.folder, env: { GATHER_LANE_ADDRESS: demo.address } });
    expect(moderators.out).toMatch(/@bram/);
  });

  test('mute and block, and the profile says so', async () => {
    const wren = await signedIn('wren');
    expect((await wren(['mute', '@bram'])).out).toBe('You mute @bram.\n');
    expect((await wren(['profile', '@bram'])).out).toMatch(/you mute them/);
    await wren(['unmute', 'bram']);
    expect((await wren(['block', '@odile'])).out).toBe('You block @odile.\n');
    expect((await (await signedIn('odile'))(['profile', '@wren'])).err).toMatch(/There is no user @wren/);
    expect((await wren(['unblock', '@odile'])).code).toBe(0);
    expect((await wren(['profile', '--audience', 'signed-in', '--handle', 'wren_of_hob'])).out).toMatch(/@wren_of_hob/);
  });
});

describe('pictures', () => {
  test('are posted with what they show; a file that is none is refused', async () => {
    const odile = await signedIn('odile');
    const path = join(folder, 'fog.png');
    await sharp({ create: { width: 400, height: 300, channels: 3, background: 'teal' } })
      .png()
      .toFile(path);
    const posted = await odile(['post', '--picture', `${path}=A lock gate in fog`, '--json']);
    const id = idOf(posted.out);
    expect((await odile(['show', id])).out).toMatch(/▣ 400×300 A lock gate in fog http/);
    writeFileSync(join(folder, 'not.png'), '<svg/>');
    expect((await odile(['post', 'x', '--picture', join(folder, 'not.png')])).err).toMatch(
      /no JPEG, PNG or WebP picture/,
    );
    expect((await odile(['post', 'x', '--picture', join(folder, 'missing.png')])).err).toMatch(/cannot be read/);
    expect((await odile(['post'])).code).toBe(2);
  });
});

describe('accounts', () => {
  test('a forgotten password is set with what the link carries', async () => {
    const nobody = as('nobody');
    expect((await nobody(['forgot-password', 'odile@wherry-cut.example'])).out).toMatch(
      /If this e-mail belongs to an account/,
    );
    expect((await nobody(['forgot-password'])).code).toBe(2);
    expect(
      (await nobody(['forgot-password', '--token', 'a'.repeat(43), '--password-stdin'], 'a new password')).err,
    ).toMatch(/used already, or is older than 30 minutes/);
  });

  test('an account is deleted by its own handle and password, and no other', async () => {
    const call = as('leaver');
    await call(
      ['sign-up', 'Leaver', '--email', 'leaver@cut.example', '--handle', 'leaver', '--password-stdin'],
      'narrowboat crew',
    );
    expect((await call(['delete-account', '@odile', '--password-stdin'], 'narrowboat crew')).err).toMatch(
      /nothing was deleted/,
    );
    expect((await call(['delete-account', '@leaver', '--password-stdin'], 'wrong password')).code).toBe(1);
    expect((await call(['delete-account', '@leaver', '--password-stdin'], 'narrowboat crew')).out).toMatch(
      /@leaver is deleted/,
    );
    expect((await (await signedIn('odile'))(['profile', '@leaver'])).code).toBe(1);
  });

  test('the signing key is rotated, and nobody is signed out', async () => {
    const odile = await signedIn('odile');
    const operator = { cwd: demo.folder, env: { GATHER_LANE_ADDRESS: demo.address } };
    expect((await run(['signing-key', '--at-once'], operator)).out).toMatch(/older ones are refused/);
    expect((await odile(['whoami'])).code).toBe(0);
  });

  test('an app with its own sign-in: the example reads a feed with its own tokens', async () => {
    const app = mkdtempSync(join(tmpdir(), 'gather-lane-own-sign-in-'));
    mkdirSync(join(app, 'app'));
    cpSync('examples/own-sign-in/app.mjs', join(app, 'app/app.mjs'));
    symlinkSync(join(process.cwd(), 'node_modules'), join(app, 'node_modules'));
    const example = (args: string[], address = '') =>
      new Promise<string>((resolve, reject) => {
        const child = spawn(process.execPath, [join(app, 'app/app.mjs'), ...args], {
          env: clean(address ? { GATHER_LANE_ADDRESS: address } : {}),
        });
        let out = '';
        child.stdout.on('data', (chunk) => (out += String(chunk)));
        child.stderr.on('data', (chunk) => (out += String(chunk)));
        child.once('error', reject).once('close', () => resolve(out));
      });
    writeFileSync(join(app, 'gather-lane.yaml'), await example(['--print-configuration']));
    const { address: database, drop } = await makeDatabase();
    const service = await start([], { cwd: app, env: { GATHER_LANE_DATABASE_URL: urlOf(database) } });
    expect(await example([], service.address)).toBe(
      'Ned Alder, as @ned: 1 post in the feed, the newest "Through the app’s own sign-in"\n',
    );
    await service.stop();
    await drop();
    rmSync(app, { recursive: true });
  });
});

describe('check ownership', () => {
  test('tries routes as everybody, as a table, as JSON and as JUnit XML', async () => {
    const call = (args: string[]) =>
      run(['check', 'ownership', '--only', 'editPost,deleteComment', ...args], {
        cwd: demo.folder,
        env: { GATHER_LANE_ADDRESS: demo.address },
      });
    const table = await call([]);
    expect(table.code).toBe(0);
    expect(table.out).toMatch(/editPost +owner of post +401 +403 +404 +200 +403 +403/);
    expect(table.out).toMatch(/2 routes, \d+ calls: everybody met what the rules say/);
    expect(JSON.parse((await call(['--json'])).out)).toMatchObject({
      faults: 0,
      routes: [{ operationId: 'editPost' }, {}],
    });
    const { out: xml } = await call(['--junit']);
    expect(xml).toMatch(/^<\?xml version="1.0"[^]*<testsuites name="ownership" tests="14" failures="0"/);
    expect(xml).toContain('<testcase classname="editPost" name="another"/>');
    const unknown = await run(['check', 'ownership', '--only', 'nothing'], {
      cwd: demo.folder,
      env: { GATHER_LANE_ADDRESS: demo.address },
    });
    expect([unknown.code, unknown.err]).toEqual([1, expect.stringMatching(/names no operation/)]);
  });

  test('exits 1 when it finds a fault, however it is shown', async () => {
    const weak = await startTestService({
      app: {
        onRoute: (route) => {
          if (route.url === '/v1/posts/:post/versions') route.config = { ...route.config, doorway: 'anyone' };
        },
      },
    });
    const check = (...shown: string[]) =>
      run(['check', 'ownership', '--only', 'listPostVersions', ...shown], {
        cwd: demo.folder,
        env: { GATHER_LANE_ADDRESS: weak.address, GATHER_LANE_OPERATOR_KEY: weak.operatorKey },
      });
    const table = await check();
    expect([table.code, table.out]).toEqual([1, expect.stringMatching(/✗ GET \/v1\/posts\/\{post\}\/versions: /)]);
    expect([(await check('--json')).code, (await check('--junit')).code]).toEqual([1, 1]);
    await weak.stop();
  });
});
