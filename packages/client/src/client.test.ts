import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import { createClient, ServiceTooSlow, ServiceUnreachable } from './index.js';
import { laterPlace } from './later-place.js';

/** Takes every call, and answers none. */
let silent: Server;
let address = '';
beforeAll(async () => {
  silent = createServer(() => undefined);
  await new Promise<void>((resolve) => silent.listen(0, '127.0.0.1', resolve));
  address = `http://127.0.0.1:${(silent.address() as { port: number }).port}`;
});
afterAll(() => {
  silent.closeAllConnections();
  silent.close();
});

test('a call that is not answered in time says that it is not known whether it was done', async () => {
  const call = createClient({ address, timeoutMs: 30 }).POST('/v1/posts', { body: { body: 'Moored' } });
  await expect(call).rejects.toThrow(ServiceTooSlow);
  await expect(call).rejects.toThrow(/within 0\.03 s\. Whether it did what it was asked is not known/);
});

test('one that the caller gives up is given up, and is not called slow', async () => {
  const giveUp = new AbortController();
  const call = createClient({ address, timeoutMs: 0 }).GET('/v1/posts', { signal: giveUp.signal });
  giveUp.abort();
  await expect(call).rejects.toThrow(expect.objectContaining({ name: 'AbortError' }));
});

test('where nothing listens it says so', async () => {
  const call = createClient({ address: 'http://127.0.0.1:9' }).GET('/v1/posts');
  await expect(call).rejects.toThrow(ServiceUnreachable);
});

test('what the service says of its log comes back with the next call, and never goes back', async () => {
  const [sent, told] = [[] as (string | null)[], ['0/A0', '0/9F', null, 'unknown', '1/0']];
  const client = createClient({
    address,
    fetch: (request) => {
      sent.push(request.headers.get('gather-seen'));
      const place = told[sent.length - 1];
      return Promise.resolve(new Response('{}', { headers: place ? { 'gather-seen': place } : {} }));
    },
  });
  for (let i = 0; i < 6; i++) await client.GET('/v1/posts');
  expect(sent).toEqual([null, '0/A0', '0/A0', '0/A0', 'unknown', '1/0']);
});

test('of two places in a log the later is kept, however they are written', () => {
  const later = (a: string, b: string) => [laterPlace(a, b), laterPlace(b, a)];
  expect(later('0/FFFFFFFF', '1/0')).toEqual(['1/0', '1/0']);
  expect(later('0/a', '0/9')).toEqual(['0/a', '0/a']);
  expect(later('10/0', '9/FFFFFF')).toEqual(['10/0', '10/0']);
});
