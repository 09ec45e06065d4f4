import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type TestService } from '../../tests/test-service.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

interface User {
  id: string;
  handle: string;
  name: string;
  bio: string;
  relation: unknown;
  can: { edit: boolean };
  tallies: { posts: number; followers: number; following: number };
}
const account = (more: object = {}) => ({
  name: 'Tamsin Oake',
  email: `t${Math.random()}@cut.example`,
  password: 'a long enough one',
  ...more,
});

describe('signing up', () => {
  test('answers 201 with the profile and its address, and nothing private', async () => {
    const { status, json, headers } = await service.call<User>('POST', '/v1/users', {
      body: account({ handle: 'Tamsin' }),
    });
    expect(status).toBe(201);
    expect(json).toMatchObject({
      handle: 'tamsin',
      name: 'Tamsin Oake',
      bio: '',
      can: { edit: true },
      tallies: { posts: 0, followers: 0, following: 0 },
    });
    expect(headers.get('location')).toBe(`${service.address}/v1/users/${json.id}`);
    expect(JSON.stringify(json)).not.toMatch(/password|@cut\.example/);
  });

  test('makes a handle from the name, and a unique one when that is taken', async () => {
    const handles = [];
    for (let i = 0; i < 3; i++)
      handles.push(
        (await service.call<User>('POST', '/v1/users', { body: account({ name: 'Jorun Halloway' }) })).json.handle,
      );
    expect(handles).toEqual(['jorun_halloway', 'jorun_halloway2', 'jorun_halloway3']);
  });

  test('many at once under one name all get handles of their own', async () => {
    const replies = await Promise.all(
      Array.from({ length: 8 }, () => service.call<User>('POST', '/v1/users', { body: account({ name: 'Imke' }) })),
    );
    expect(replies.map((reply) => reply.status)).toEqual(Array(8).fill(201));
    expect(new Set(replies.map((reply) => reply.json.handle)).size).toBe(8);
  });

  test('a taken handle or e-mail answers 409 naming the field, whatever the case', async () => {
    await service.call('POST', '/v1/users', { body: account({ handle: 'lowen', email: 'Lowen@cut.example' }) });
    const handle = await service.call('POST', '/v1/users', { body: account({ handle: 'LOWEN' }) });
    expect(handle).toMatchObject({ status: 409, json: { errors: [{ pointer: '/handle' }] } });
    const email = await service.call('POST', '/v1/users', { body: account({ email: 'lowen@CUT.example' }) });
    expect(email).toMatchObject({ status: 409, json: { errors: [{ pointer: '/email' }] } });
  });

  test.each([
    ['a reserved handle', { handle: 'operator' }, '/handle'],
    ['a handle that cannot be', { handle: '1st' }, '/handle'],
    ['a short password', { password: 'short' }, '/password'],
    ['a password of the wrong type', { password: 1234567890 }, '/password'],
    ['an e-mail that is none', { email: 'nowhere' }, '/email'],
    ['an empty name', { name: '' }, '/name'],
    ['a name that nobody can see', { name: ' \u00a0 ' }, '/name'],
    ['a name of 61 characters', { name: 'x'.repeat(61) }, '/name'],
    ['an unknown property', { admin: true }, '/admin'],
  ])('%s is refused with its pointer, and makes nothing', async (_, wrong, pointer) => {
    const before = await service.dataSource.query<unknown[]>(`SELECT FROM users`);
    const { status, json } = await service.call<{ errors: { pointer: string }[] }>('POST', '/v1/users', {
      body: account(wrong),
    });
    expect(status).toBe(422);
    expect(json.errors.map((error) => error.pointer)).toContain(pointer);
    expect(await service.dataSource.query<unknown[]>(`SELECT FROM users`)).toHaveLength(before.length);
  });

  test('an error says the limit and the actual size', async () => {
    const { json } = await service.call<{ detail: string }>('POST', '/v1/users', {
      body: account({ name: '👨‍👩‍👧‍👦'.repeat(61) }),
    });
    expect(json.detail).toContain('at most 60 characters, but has 61');
  });

  test('is limited by address', async () => {
    const strict = await startTestService({ environment: { GATHER_LANE_RATES_SIGN_UPS_PER_MINUTE: '2' } });
    const statuses = [];
    for (let i = 0; i < 3; i++) statuses.push(await strict.call('POST', '/v1/users', { body: account({ name: '' }) }));
    expect(statuses.map((reply) => reply.status)).toEqual([422, 422, 429]);
    expect(Number(statuses[2]!.headers.get('retry-after'))).toBeGreaterThan(0);
    expect(statuses[2]!.json).toMatchObject({ status: 429, title: 'Too many attempts' });
    await strict.stop();
  });
});

describe('profiles', () => {
  test('are read by id and by @handle, without signing in', async () => {
    const user = await service.user('hesper');
    for (const reference of [user.id, '@hesper', '@HESPER', 'hesper'])
      expect((await service.call('GET', `/v1/users/${reference}`)).json).toMatchObject({
        id: user.id,
        relation: null,
        can: { edit: false },
      });
    expect((await service.call('GET', '/v1/users/@nobody_here')).status).toBe(404);
  });

  test('say how the caller and the user stand to each other', async () => {
    const [a, b] = [await service.user(), await service.user()];
    await service.call('PUT', `/v1/follows/${b.id}`, { as: a });
    const relation = { muted: false, blocked: false };
    expect((await service.call<User>('GET', `/v1/users/${b.id}`, { as: a })).json.relation).toEqual({
      youFollow: true,
      followsYou: false,
      ...relation,
    });
    expect((await service.call<User>('GET', `/v1/users/${a.id}`, { as: b })).json.relation).toEqual({
      youFollow: false,
      followsYou: true,
      ...relation,
    });
  });

  test('are edited by their owner: absent leaves, null clears', async () => {
    const user = await service.user();
    const path = `/v1/users/${user.id}`;
    expect(
      (await service.call('PATCH', path, { as: user, body: { bio: 'Keeper at Candle Lock' } })).json,
    ).toMatchObject({ bio: 'Keeper at Candle Lock', name: `Name of ${user.handle}` });
    expect(
      (
        await service.call('PATCH', path, {
          as: user,
          body: { bio: null, name: 'Ludo' },
          headers: { 'content-type': 'application/merge-patch+json' },
        })
      ).json,
    ).toMatchObject({ bio: '', name: 'Ludo' });
    expect((await service.call('PATCH', path, { as: user, body: { name: null } })).status).toBe(422);
    expect((await service.call('PATCH', path, { as: user, body: {} })).status).toBe(422);
  });

  test('are edited by nobody else, and not on top of another edit', async () => {
    const [user, other] = [await service.user(), await service.user()];
    const path = `/v1/users/${user.id}`;
    expect((await service.call('PATCH', path, { body: { name: 'X' } })).status).toBe(401);
    expect((await service.call('PATCH', path, { as: other, body: { name: 'X' } })).status).toBe(403);
    expect((await service.call('PATCH', '/v1/users/@not_there', { as: other, body: { name: 'X' } })).status).toBe(404);
    const etag = (await service.call('GET', path)).headers.get('etag')!;
    expect(
      (await service.call('PATCH', path, { as: user, body: { name: 'One' }, headers: { 'if-match': etag } })).status,
    ).toBe(200);
    expect(
      (await service.call('PATCH', path, { as: user, body: { name: 'Two' }, headers: { 'if-match': etag } })).status,
    ).toBe(412);
    expect((await service.call<User>('GET', path)).json.name).toBe('One');
  });

  test('the list is by handle, searched by the beginning of handle or name, page by page', async () => {
    const lists = await startTestService();
    for (const handle of ['zeb', 'agnes', 'moss', 'mossy', 'beatrix', 'gwen']) await lists.user(handle);
    const seen: string[] = [];
    let next: string | null = null;
    do {
      const page: { items: User[]; next: string | null } = (
        await lists.call<{ items: User[]; next: string | null }>(
          'GET',
          `/v1/users?limit=4${next ? `&after=${next}` : ''}`,
        )
      ).json;
      seen.push(...page.items.map((user) => user.handle));
      next = page.next;
    } while (next);
    expect(seen).toEqual(['agnes', 'beatrix', 'gwen', 'moss', 'mossy', 'zeb']);
    const find = async (q: string) =>
      (await lists.call<{ items: User[] }>('GET', `/v1/users?q=${encodeURIComponent(q)}`)).json.items.map(
        (user) => user.handle,
      );
    expect(await find('@mos')).toEqual(['moss', 'mossy']);
    expect(await find('Name of g')).toEqual(['gwen']);
    expect(await find('%')).toEqual([]);
    await lists.stop();
  });

  test('edits at once without an ETag are all done', async () => {
    const user = await service.user();
    const edit = (bio: string) => service.call('PATCH', `/v1/users/${user.id}`, { as: user, body: { bio } });
    const replies = await Promise.all(['one', 'two', 'three', 'four'].map(edit));
    expect(replies.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
    expect((await service.call('GET', `/v1/users/${user.id}`)).json.version).toBe(5);
  });

  test.each([
    ['a name', { name: '\u200B\u200B' }, '/name'],
    ['a name', { name: 'Odile\u202Eelido' }, '/name'],
    ['a name', { name: 'Two\nlines' }, '/name'],
    ['a name', { name: 'Tab\there' }, '/name'],
    ['a name', { name: '\u3164' }, '/name'],
    ['a handle', { handle: 'od\u200Dile' }, '/handle'],
  ])('%s of what nobody sees is refused: %j', async (_, body, pointer) => {
    const user = await service.user();
    const { status, json } = await service.call('PATCH', `/v1/users/${user.id}`, { as: user, body });
    expect([status, json.errors]).toEqual([422, [expect.objectContaining({ pointer })]]);
  });

  test('joiners that scripts need are kept in a name', async () => {
    const user = await service.user();
    for (const name of ['\u0645\u06CC\u200C\u062E\u0648\u0627\u0647\u0645', 'Family 👨\u200D👩\u200D👧'])
      expect((await service.call('PATCH', `/v1/users/${user.id}`, { as: user, body: { name } })).json.name).toBe(name);
  });

  test('the e-mail is shown to its owner alone', async () => {
    await service.call('POST', '/v1/users', {
      body: account({ handle: 'ansel', email: 'ansel@cut.example', password: 'a good password' }),
    });
    const session = await service.call<{ accessToken: string }>('POST', '/v1/sessions', {
      body: { login: 'ansel', password: 'a good password' },
    });
    expect((await service.call('GET', '/v1/me', { as: session.json.accessToken })).json).toMatchObject({
      handle: 'ansel',
      email: 'ansel@cut.example',
    });
    expect((await service.call('GET', '/v1/me')).status).toBe(401);
    expect(JSON.stringify((await service.call('GET', '/v1/users/@ansel')).json)).not.toContain('ansel@cut.example');
  });
});
