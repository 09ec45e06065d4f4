import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

let service: TestService;
let user: Actor;
let console_: string;
beforeAll(async () => {
  console_ = mkdtempSync(join(tmpdir(), 'gather-lane-pages-'));
  writeFileSync(join(console_, 'index.html'), '<!doctype html><title>Pages</title>');
  writeFileSync(join(console_, 'mark.svg'), '<svg xmlns="http://www.w3.org/2000/svg"/>');
  service = await startTestService({ app: { consoleFolder: console_ } });
  user = await service.user();
});
afterAll(async () => {
  await service.stop();
  rmSync(console_, { recursive: true });
});

/** What was answered to bytes on a connection of their own, once it is closed. */
const raw = (text: string): Promise<string> =>
  new Promise((resolve, reject) => {
    const { hostname, port } = new URL(service.address);
    const socket = connect(Number(port), hostname, () => socket.end(text));
    let answer = '';
    socket.on('data', (chunk) => (answer += String(chunk))).on('close', () => resolve(answer));
    socket.on('error', reject);
  });

describe('what is not foreseen is refused in words', () => {
  test.each([
    ['a path with a lone %', '/v1/posts/%zz', 400],
    ['a part of a path with more than 100 characters', `/v1/users/${'a'.repeat(101)}`, 400],
  ])('%s', async (_, path, status) => {
    const reply = await service.call('GET', path);
    expect([reply.status, reply.headers.get('content-type')]).toEqual([
      status,
      expect.stringContaining('problem+json'),
    ]);
    expect(reply.json).toMatchObject({ status, type: expect.stringContaining('malformed') });
  });

  test('headers that are too large, and what is no HTTP, are answered with a problem', async () => {
    const large = await raw(`GET /v1/posts HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Large: ${'a'.repeat(20_000)}\r\n\r\n`);
    expect(large).toMatch(/^HTTP\/1\.1 431 [^]*application\/problem\+json[^]*headers-too-large/);
    expect(await raw('HELLO\r\n\r\n')).toMatch(/^HTTP\/1\.1 400 [^]*application\/problem\+json/);
  });

  test('a body of text is another media type', async () => {
    const reply = await service.call('POST', '/v1/posts', {
      as: user,
      body: 'Moored below Candle Lock',
      headers: { 'content-type': 'text/plain' },
    });
    expect([reply.status, reply.json.type]).toEqual([415, expect.stringContaining('wrong-media-type')]);
  });

  test('an upload that is cut off, and one without a boundary', async () => {
    const upload = (body: string, type: string) =>
      service.call('POST', '/v1/media', { as: user, body, headers: { 'content-type': type } });
    const begun = '--x\r\nContent-Disposition: form-data; name="file"; filename="a.png"\r\n\r\nPNG';
    expect((await upload(begun, 'multipart/form-data; boundary=x')).status).toBe(400);
    expect((await upload(begun, 'multipart/form-data')).status).toBe(415);
  });

  test('a range beyond a page’s file, and a version that it is not', async () => {
    const get = (headers: Record<string, string>) => service.call('GET', '/mark.svg', { headers });
    expect((await get({})).status).toBe(200);
    expect((await get({ range: 'bytes=99999-' })).status).toBe(416);
    expect((await get({ 'if-match': '"another"' })).status).toBe(412);
  });

  test('each restore of a post beside a delete of it ends as one of the two', async () => {
    for (let round = 0; round < 5; round++) {
      const { json } = await service.call<{ id: string }>('POST', '/v1/posts', { as: user, body: { body: 'Here' } });
      const path = `/v1/posts/${json.id}`;
      await service.call('DELETE', path, { as: user });
      const replies = await Promise.all([
        service.call('POST', `${path}/restore`, { as: user, body: {} }),
        service.call('DELETE', path, { as: user }),
        service.call('POST', `${path}/restore`, { as: user, body: {} }),
      ]);
      for (const { status } of replies) expect([200, 204, 404, 409]).toContain(status);
    }
  });
});

describe('the query', () => {
  test('a parameter that nothing knows is refused, with the one that is near', async () => {
    const wrong = await service.call('GET', '/v1/feeds/following?oder=score', { as: user });
    expect([wrong.status, wrong.json.detail]).toEqual([400, expect.stringMatching(/oder.*did you mean order\?/)]);
    const far = await service.call('GET', '/v1/posts?zebra=1');
    expect([far.status, far.json.detail]).toEqual([400, expect.not.stringContaining('did you mean')]);
  });

  test('of a choice every value is said, and null is no empty word', async () => {
    const order = await service.call('GET', '/v1/feeds/following?order=best', { as: user });
    expect(order.json.detail).toMatch(/recent.*score/);
    const audience = await service.call('PATCH', `/v1/users/${user.id}`, { as: user, body: { audience: 'nobody' } });
    expect(JSON.stringify(audience.json.errors)).toMatch(/everyone.*signed-in/);
    const parent = await service.call('POST', '/v1/posts', { as: user, body: { body: 7 } });
    expect(JSON.stringify(parent.json.errors)).not.toMatch(/must be null|integer,null|string,null/);
  });
});

describe('calls that are refused', () => {
  const limited = () =>
    startTestService({
      environment: {
        GATHER_LANE_RATES_CALLS_FROM_ADDRESS_PER_MINUTE: '30',
        GATHER_LANE_RATES_CALLS_PER_MINUTE: '10',
      },
    });

  test.each([
    ['with bad tokens', '/v1/me', 'x.y.z'],
    ['to unknown paths', '/v1/moons', undefined],
  ])('%s are counted by address, before anything is looked at', async (_, path, as) => {
    const strict = await limited();
    const statuses = [];
    for (let i = 0; i < 32; i++) statuses.push((await strict.call('GET', path, as ? { as } : {})).status);
    expect(statuses.slice(0, 10)).not.toContain(429);
    expect(statuses.slice(30)).toEqual([429, 429]);
    await strict.stop();
  });

  test('to edit what is another’s are counted by caller, and cost no more writes then', async () => {
    const strict = await limited();
    const [owner, other] = [await strict.user(), await strict.user()];
    const { json } = await strict.call<{ id: string }>('POST', '/v1/posts', { as: owner, body: { body: 'Mine' } });
    const statuses = [];
    for (let i = 0; i < 12; i++)
      statuses.push((await strict.call('PATCH', `/v1/posts/${json.id}`, { as: other, body: { body: 'x' } })).status);
    expect([statuses[0], statuses[9], statuses[11]]).toEqual([403, 403, 429]);
    await strict.stop();
  });
});

describe('cursors', () => {
  test('that the service did not sign are refused, whatever they say', async () => {
    const { cursors } = service.house;
    for (const body of ['one', 'two', 'three']) await service.call('POST', '/v1/posts', { as: user, body: { body } });
    const page = await service.call<{ next: string }>('GET', '/v1/posts?limit=1');
    expect((await service.call('GET', `/v1/posts?limit=1&after=${page.json.next}`)).status).toBe(200);
    const other = await startTestService();
    const theirs = await other.house.cursors.writeList((await cursors.readList(page.json.next))!);
    await other.stop();
    expect((await service.call('GET', `/v1/posts?limit=1&after=${theirs}`)).status).toBe(400);
    // By the key, and still out of every range: refused, and never an error of the database.
    const feed = await service.call<{ next: string }>('GET', '/v1/feeds/following?order=score&limit=1', { as: user });
    const good = (await cursors.readFeed(feed.json.next))!;
    for (const wrong of [{ begun: 8.64e15 }, { weighting: 2 ** 40 }, { position: { at: -8.64e15, id: user.id } }]) {
      const after = (await cursors.feedWriter())({ ...good, ...wrong });
      expect((await service.call('GET', `/v1/feeds/following?after=${after}`, { as: user })).status).toBe(400);
    }
  });

  test('go on over a change of the key, and a key that is given up ends them', async () => {
    const { cursors } = service.house;
    const { next } = (await service.call<{ next: string }>('GET', '/v1/posts?limit=1')).json;
    await cursors.rotate(false);
    expect((await service.call('GET', `/v1/posts?after=${next}`)).status).toBe(200);
    await cursors.rotate(true);
    expect((await service.call('GET', `/v1/posts?after=${next}`)).status).toBe(400);
  });
});
