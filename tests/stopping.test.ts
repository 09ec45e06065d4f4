import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtempSync, rmSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { makeDatabase, urlOf } from '../packages/server/src/tests/test-database.js';
import { start, type Started } from './command.js';

let folder = '';
let database: Awaited<ReturnType<typeof makeDatabase>>;
let client: pg.Client;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-stopping-'));
  database = await makeDatabase();
  client = new pg.Client(database.address);
  await client.connect();
});
afterAll(async () => {
  await client.end();
  await database.drop();
  rmSync(folder, { recursive: true });
});

const serve = (env: Record<string, string>) => {
  return start([], { cwd: folder, env: { GATHER_LANE_DATABASE_URL: urlOf(database.address), ...env } });
};

/** A call whose body never ends. */
async function unfinished(service: Started): Promise<Socket> {
  const { hostname, port } = new URL(service.address);
  const socket = connect(Number(port), hostname);
  socket.on('error', () => undefined);
  await new Promise<void>((resolve) => socket.once('connect', resolve));
  const head = ['POST /v1/sessions HTTP/1.1', `Host: 127.0.0.1:${port}`, 'Content-Type: application/json'];
  socket.write(`${[...head, 'Content-Length: 100'].join('\r\n')}\r\n\r\n{"login":`);
  // The service has it once another call, that came after it, is answered.
  await fetch(`${service.address}/health`);
  return socket;
}

async function until(condition: () => boolean): Promise<void> {
  while (!condition()) await new Promise((resolve) => setTimeout(resolve, 20));
}

describe('stopping', () => {
  test('ends at its deadline what does not end by itself; new calls meanwhile are told so, not reset', async () => {
    const service = await serve({ GATHER_LANE_SERVER_STOP_SECONDS: '2' });
    const socket = await unfinished(service);
    const cut = new Promise((resolve) => socket.once('close', resolve));
    service.child.kill('SIGTERM');
    await until(() => service.said().includes('Stopping'));
    let reply = await fetch(`${service.address}/v1/posts`);
    while (reply.status === 200) reply = await fetch(`${service.address}/v1/posts`);
    expect([reply.status, reply.headers.get('connection')]).toEqual([503, 'close']);
    expect(((await reply.json()) as { type: string }).type).toContain('stopping');
    expect(await service.ended).toBe(0);
    await cut;
  });

  test('a second signal ends it at once, whatever is open', async () => {
    const service = await serve({ GATHER_LANE_SERVER_STOP_SECONDS: '600' });
    const socket = await unfinished(service);
    service.child.kill('SIGTERM');
    await until(() => service.said().includes('Stopping'));
    // Whoever presses again does so until it ends.
    const insisting = setInterval(() => service.child.kill('SIGINT'), 200);
    expect(await service.ended).toBe(1);
    clearInterval(insisting);
    expect(service.said()).toContain('Ended at once');
    socket.destroy();
  });

  test('one Ctrl-C that comes twice, from the terminal and from npm, is one', async () => {
    const service = await serve({ GATHER_LANE_SERVER_STOP_SECONDS: '30' });
    const socket = await unfinished(service);
    // Of two kinds, since two of one kind may arrive as one.
    service.child.kill('SIGINT');
    service.child.kill('SIGTERM');
    await until(() => service.said().includes('Stopping'));
    socket.destroy();
    expect(await service.ended).toBe(0);
    expect(service.said()).not.toContain('Ended at once');
  });
});

describe('time limits', () => {
  test('of the database cut a call that waits for what never comes, and say so', async () => {
    const service = await serve({
      GATHER_LANE_DATABASE_STATEMENT_SECONDS: '1',
      GATHER_LANE_DATABASE_LOCK_SECONDS: '1',
    });
    await client.query('BEGIN');
    await client.query('LOCK TABLE posts IN ACCESS EXCLUSIVE MODE');
    const reply = await fetch(`${service.address}/v1/posts`);
    expect([reply.status, ((await reply.json()) as { type: string }).type]).toEqual([
      503,
      expect.stringContaining('too-slow'),
    ]);
    await client.query('ROLLBACK');
    expect((await fetch(`${service.address}/v1/posts`)).status).toBe(200);
    await service.stop();
  });

  test('of requests cut a body that never ends', async () => {
    const service = await serve({ GATHER_LANE_SERVER_REQUEST_SECONDS: '1', GATHER_LANE_SERVER_HEADERS_SECONDS: '1' });
    const socket = await unfinished(service);
    let answer = '';
    socket.on('data', (chunk) => (answer += String(chunk)));
    await new Promise((resolve) => socket.once('close', resolve));
    expect(answer).toMatch(/^HTTP\/1\.1 408 [^]*too-slow-request/);
    await service.stop();
  });
});

describe('a port that browsers refuse', () => {
  test('is refused with a word, before anything is started', async () => {
    await expect(start(['--port', '6000'], { cwd: folder })).rejects.toThrow(/No browser calls port 6000/);
  });
});
