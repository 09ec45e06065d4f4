import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, ServiceTooSlow, ServiceUnreachable } from '@gather-lane/client';
import { callOnce } from './calling.js';

let server: Server;
let address: string;
beforeAll(async () => {
  server = createServer((request, reply) => {
    if (request.url === '/v1/never') return;
    if (request.method === 'DELETE') {
      reply.writeHead(204).end();
      return;
    }
    let body = '';
    request.on('data', (part) => (body += String(part)));
    request.on('end', () =>
      reply
        .writeHead(201, { 'content-type': 'application/json', 'x-said': 'yes' })
        .end(JSON.stringify({ method: request.method, authorization: request.headers.authorization ?? null, body })),
    );
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

describe('a call of a command', () => {
  test('brings method, headers and body there, and status, headers and body back', async () => {
    const reply = await callOnce(
      new Request(`${address}/v1/posts`, {
        method: 'POST',
        headers: { authorization: 'Bearer abc' },
        body: '{"body":"Lantern wharf – é 🏮"}',
      }),
    );
    expect([reply.status, reply.headers.get('x-said')]).toEqual([201, 'yes']);
    expect(await reply.json()).toEqual({
      method: 'POST',
      authorization: 'Bearer abc',
      body: '{"body":"Lantern wharf – é 🏮"}',
    });
  });

  test('takes a reply without a body', async () => {
    const reply = await callOnce(new Request(`${address}/v1/posts/1`, { method: 'DELETE' }));
    expect([reply.status, await reply.text()]).toEqual([204, '']);
  });

  test('that is not answered in time is told from one that nothing answers', async () => {
    const slow = createClient({ address, fetch: callOnce, timeoutMs: 20 });
    await expect(slow.GET('/v1/never' as '/v1/about')).rejects.toBeInstanceOf(ServiceTooSlow);
    const nowhere = createClient({ address: 'http://127.0.0.1:1', fetch: callOnce });
    await expect(nowhere.GET('/v1/about')).rejects.toMatchObject({ name: ServiceUnreachable.name });
  });
});
