import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import { createClient, ServiceTooSlow, ServiceUnreachable } from './index.js';

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
