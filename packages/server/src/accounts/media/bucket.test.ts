import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import sharp from 'sharp';
import { freePort } from '../../ground/database/cluster/cluster.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { BucketStore, bucketPlace } from './bucket-store.js';
import { Media } from './service.js';

// Pictures in a bucket that two services on one database share: a small server that speaks the protocol of S3.

const folder = mkdtempSync(join(tmpdir(), 'gather-lane-bucket-'));
const before = { ...process.env };
let server: ChildProcess;
let address: string;
let services: TestService[];
let odile: Actor;
beforeAll(async () => {
  Object.assign(process.env, { AWS_ACCESS_KEY_ID: 'S3RVER', AWS_SECRET_ACCESS_KEY: 'S3RVER', AWS_REGION: 'us-east-1' });
  const port = await freePort();
  const program = join(dirname(createRequire(import.meta.url).resolve('s3rver/package.json')), 'bin/s3rver.js');
  const options = ['-d', folder, '-a', '127.0.0.1', '-p', String(port), '--configure-bucket', 'pictures'];
  server = spawn(process.execPath, ['--no-deprecation', program, ...options], { stdio: 'ignore' });
  address = `http://127.0.0.1:${port}/pictures`;
  while (!(await fetch(address).catch(() => null))) await new Promise((resolve) => setImmediate(resolve));
  const first = await startTestService({ configuration: { mediaBucket: address } });
  services = [first, await startTestService({ on: first.database, configuration: { mediaBucket: address } })];
  odile = await first.user();
});
afterAll(async () => {
  for (const service of [...services].reverse()) await service.stop();
  server.kill();
  rmSync(folder, { recursive: true, force: true });
  process.env = before;
});

let shade = 0;
const upload = async ({ address: at }: TestService, bytes?: Buffer) => {
  const made =
    bytes ??
    (await sharp({ create: { width: 800, height: 500, channels: 3, background: { r: ++shade, g: 90, b: 30 } } })
      .png()
      .toBuffer());
  const form = new FormData();
  form.append('file', new Blob([new Uint8Array(made)]), 'barge.png');
  const headers = { authorization: `Bearer ${odile.token}` };
  const reply = await fetch(`${at}/v1/media`, { method: 'POST', headers, body: form });
  return { status: reply.status, bytes: made, ...((await reply.json()) as { id: string; sizes: { url: string }[] }) };
};
/** The same file at either service. */
const fileAt = (service: TestService, url: string) => fetch(service.address + new URL(url).pathname);
const kept = async () => {
  const names: string[] = [];
  for await (const { name } of new BucketStore(bucketPlace(address)).list()) names.push(name);
  return names;
};

test('a picture that was uploaded at one is shown by the other, whole, and may be kept for a year', async () => {
  const { status, sizes } = await upload(services[0]!);
  expect(status).toBe(201);
  for (const { url } of sizes) {
    const replies = await Promise.all(services.map((service) => fileAt(service, url)));
    expect(replies.map(({ status: each }) => each)).toEqual([200, 200]);
    expect(replies[1]!.headers.get('content-type')).toBe('image/webp');
    expect(replies[1]!.headers.get('cache-control')).toBe('public, max-age=31536000, immutable');
    const [one, other] = await Promise.all(replies.map(async (reply) => Buffer.from(await reply.arrayBuffer())));
    expect(one!.equals(other!)).toBe(true);
    expect((await sharp(one).metadata()).format).toBe('webp');
  }
  expect(readdirSync(services[0]!.folder)).not.toContain('media');
});

test('files that are gone from the bucket are put there when the picture is uploaded again', async () => {
  const { bytes, sizes } = await upload(services[0]!);
  const store = new BucketStore(bucketPlace(address));
  const name = new URL(sizes[0]!.url).pathname.split('/').at(-1)!;
  expect(await store.has(name)).toBe(true);
  await store.remove(name);
  await store.remove(name);
  expect([await store.has(name), await store.read(name)]).toEqual([false, null]);
  expect((await fileAt(services[1]!, sizes[0]!.url)).status).toBe(404);
  expect((await upload(services[1]!, bytes)).status).toBe(201);
  expect((await fileAt(services[0]!, sizes[0]!.url)).status).toBe(200);
});

test('what nothing shows any more is taken out of it, and what no row knows', async () => {
  const { id } = await upload(services[0]!);
  const many = await kept();
  expect((await services[1]!.call('DELETE', `/v1/media/${id}`, { as: odile })).status).toBe(204);
  expect((await kept()).length).toBeLessThan(many.length);
  // A file without a row may be one of an upload that is under way, for an hour.
  const store = new BucketStore(bucketPlace(address));
  const stray = `${'0'.repeat(8)}-0000-4000-8000-000000000000-100.webp`;
  await store.put(stray, Buffer.from('stray'));
  const foreign = ['accounts/ledger.csv', 'notes.webp', `${'0'.repeat(8)}.webp`];
  for (const name of foreign) await store.put(name, Buffer.from('of somebody else'));
  await services[0]!.house.get(Media).sweep();
  expect(await store.read(stray)).toEqual(Buffer.from('stray'));
  // However old: what is no picture of ours is nobody's to sweep.
  expect((await kept()).filter((name) => foreign.includes(name))).toEqual([]);
});

test('a bucket that cannot be used is told with what to do, and nothing is left behind', async () => {
  const wrong = await startTestService({
    on: services[0]!.database,
    configuration: { mediaBucket: address.replace('pictures', 'nowhere') },
  });
  const rows = async () => (await wrong.dataSource.query<unknown[]>(`SELECT FROM blobs`)).length;
  const there = await rows();
  const refused = { status: 503, type: expect.stringContaining('/docs/problems/no-media-store') as unknown };
  expect(await upload(wrong)).toMatchObject(refused);
  expect(await rows()).toBe(there);
  // What is in the other one is not here: it is not there to be had, and its removal is done all the same.
  const { id, sizes } = await upload(services[0]!);
  expect((await fileAt(wrong, sizes[0]!.url)).status).toBe(404);
  const closed = new BucketStore(bucketPlace(`http://127.0.0.1:${await freePort()}/pictures`));
  await expect(closed.read('a.webp')).rejects.toThrow(/^The store of pictures: .*ECONNREFUSED/);
  expect((await wrong.call('DELETE', `/v1/media/${id}`, { as: odile })).status).toBe(204);
  expect((await wrong.call('GET', `/v1/media/${id}`, { as: odile })).status).toBe(404);
  await wrong.stop();
});

test('what a bucket is called is read from its address', () => {
  expect(bucketPlace('https://store.example:9000/pictures/')).toEqual({
    endpoint: 'https://store.example:9000',
    bucket: 'pictures',
  });
  expect(readFileSync('docs/configuration.md', 'utf8')).toContain('GATHER_LANE_MEDIA_BUCKET');
});
