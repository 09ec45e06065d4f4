import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { Post } from '../../posts/posts/post.entity.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Sessions } from '../../accounts/sessions/service.js';

let service: TestService;
let odile: Actor;
let bram: Actor;

interface WithFields {
  id: string;
  version: number;
  fields: Record<string, unknown>;
}

beforeAll(async () => {
  service = await startTestService({
    model: {
      users: {
        fields: {
          mooring: { type: 'string', maxLength: 20, default: 'Tidewick' },
          call: { type: 'string', maxLength: 12, unique: true },
          phone: { type: 'string', maxLength: 20, audience: 'owner' },
          standing: { type: 'integer', audience: 'operator' },
          joinedBy: { type: 'string', enum: ['boat', `tow's rope`, '🛶 "x"'], writable: 'at-creation' },
        },
      },
      posts: {
        fields: {
          lockNumber: { type: 'integer', minimum: 1, maximum: 21 },
          order: { type: 'string', pattern: '^[A-Z]{2}-[0-9]+$', maxLength: 9, required: true },
          depth: { type: 'number' },
          open: { type: 'boolean' },
          day: { type: 'string', format: 'date' },
          at: { type: 'string', format: 'date-time' },
          witness: { references: 'users' },
          checked: { type: 'boolean', default: false, required: true, writable: 'operator' },
        },
      },
      comments: { fields: { tone: { type: 'string', enum: ['kind', 'dry'] } } },
    },
  });
  odile = await service.user('odile');
  bram = await service.user('bram');
});
afterAll(() => service.stop());

const post = (fields: Record<string, unknown>, as = odile) =>
  service.call<WithFields & { errors: { pointer: string; detail: string }[] }>('POST', '/v1/posts', {
    as,
    body: { body: 'x', fields },
  });

describe('fields of the developer’s own', () => {
  test('come back as they were sent, each in its own type', async () => {
    const sent = {
      lockNumber: 19,
      order: 'AB-1',
      depth: 1.25,
      open: true,
      day: '2026-04-01',
      at: '2026-04-01T10:00:00.5+02:00',
      witness: bram.id,
    };
    const made = await post(sent);
    expect(made.status).toBe(201);
    const whole = { ...sent, at: '2026-04-01T08:00:00.500Z', checked: false };
    expect(made.json.fields).toEqual(whole);
    for (const path of [`/v1/posts/${made.json.id}`, `/v1/users/@odile/posts`, '/v1/feeds/following'])
      expect(JSON.stringify((await service.call('GET', path, { as: odile })).json)).toContain(
        JSON.stringify(whole).slice(1, -1),
      );
  });

  test('are real columns, mapped in the entity', async () => {
    const { id } = (await post({ order: 'ZZ-9', lockNumber: 21 })).json;
    const [row] = await service.dataSource.query<{ f_order: string; f_lock_number: string }[]>(
      `SELECT f_order, f_lock_number FROM posts WHERE id = $1`,
      [id],
    );
    expect(row).toEqual({ f_order: 'ZZ-9', f_lock_number: '21' });
    const entity = await service.dataSource.manager.findOneByOrFail(Post, { id });
    expect(entity.fields).toMatchObject({ order: 'ZZ-9', lockNumber: 21, witness: null, checked: false });
  });

  test.each<[string, Record<string, unknown>, string]>([
    ['a number out of bounds', { order: 'AB-1', lockNumber: 22 }, '/fields/lockNumber'],
    ['a fraction', { order: 'AB-1', lockNumber: 1.5 }, '/fields/lockNumber'],
    ['another type', { order: 'AB-1', open: 'yes' }, '/fields/open'],
    ['what does not match', { order: 'ab-1' }, '/fields/order'],
    ['what is missing', {}, '/fields/order'],
    ['null for what is required', { order: null }, '/fields/order'],
    ['a day that is none', { order: 'AB-1', day: '2026-02-30' }, '/fields/day'],
    ['an unknown field', { order: 'AB-1', lockNumbr: 1 }, '/fields/lockNumbr'],
    ['what is the operator’s to write', { order: 'AB-1', checked: true }, '/fields/checked'],
    ['a user who is not there', { order: 'AB-1', witness: '01a20819-094e-7302-8d4e-ba04851ece37' }, '/fields/witness'],
  ])('refuse %s by its pointer', async (_, fields, pointer) => {
    const { status, json } = await post(fields);
    expect([status, json.errors.map((error) => error.pointer)]).toEqual([422, [pointer]]);
  });

  test('refuse NUL in a text, and a body without what must be given', async () => {
    const name = await service.call('PATCH', `/v1/users/${odile.id}`, {
      as: odile,
      body: { fields: { mooring: 'a\0b' } },
    });
    expect([name.status, name.json.detail]).toEqual([422, expect.stringContaining('NUL')]);
    expect((await service.call('POST', '/v1/posts', { as: odile, body: { body: 'x' } })).json).toMatchObject({
      errors: [{ pointer: '/fields/order', detail: 'is missing' }],
    });
  });

  test('are patched one by one: absent stays, null clears, the version moves on', async () => {
    const { id, version } = (await post({ order: 'AB-2', lockNumber: 3, open: true })).json;
    const patch = (fields: object, headers = {}) =>
      service.call<WithFields>('PATCH', `/v1/posts/${id}`, { as: odile, body: { fields }, headers });
    const { json } = await patch({ lockNumber: null, depth: 2 }, { 'if-match': `"${version}"` });
    expect(json.fields).toMatchObject({ order: 'AB-2', lockNumber: null, open: true, depth: 2 });
    expect(json).toMatchObject({ body: 'x', version: version + 1 });
    expect((await patch({ depth: 3 }, { 'if-match': `"${version}"` })).status).toBe(412);
    expect((await patch({ order: null })).status).toBe(422);
    expect((await service.call('PATCH', `/v1/posts/${id}`, { as: bram, body: { fields: { depth: 9 } } })).status).toBe(
      403,
    );
    expect((await service.call<WithFields>('GET', `/v1/posts/${id}`)).json.fields.depth).toBe(2);
  });

  test('of comments work the same', async () => {
    const { id } = (await post({ order: 'AB-3' })).json;
    const made = await service.call<WithFields>('POST', `/v1/posts/${id}/comments`, {
      as: bram,
      body: { body: 'y', fields: { tone: 'dry' } },
    });
    expect(made.json.fields).toEqual({ tone: 'dry' });
    const path = `/v1/comments/${made.json.id}`;
    const edited = await service.call<WithFields>('PATCH', path, { as: bram, body: { fields: { tone: null } } });
    expect(edited.json).toMatchObject({ body: 'y', fields: { tone: null } });
    const plain = await service.call<WithFields>('POST', `/v1/posts/${id}/comments`, { as: bram, body: { body: 'z' } });
    expect([plain.status, plain.json.fields]).toEqual([201, { tone: null }]);
    const { json } = await service.call<{ items: WithFields[] }>('GET', `/v1/posts/${id}/comments`);
    expect(json.items.map(({ fields }) => fields)).toEqual([{ tone: null }, { tone: null }]);
  });

  test('a reference is emptied when the user goes', async () => {
    const guest = await service.user('guest');
    const { id } = (await post({ order: 'AB-4', witness: guest.id })).json;
    await service.dataSource.query(`DELETE FROM users WHERE id = $1`, [guest.id]);
    expect((await service.call<WithFields>('GET', `/v1/posts/${id}`)).json.fields.witness).toBeNull();
  });
});

describe('who sees and writes them', () => {
  const profile = async (as?: Actor) =>
    (await service.call<WithFields>('GET', '/v1/users/@odile', as ? { as } : {})).json;
  const asOperator = (method: string, fields?: object) =>
    service.call<{ fields: Record<string, unknown> }>(method, `/v1/operator/fields/users/${odile.id}`, {
      as: service.operatorKey,
      ...(fields && { body: { fields } }),
    });

  test('signing up takes what may be written once, and later not again', async () => {
    const body = {
      name: 'Kit Tull',
      email: 'kit@wherry.example',
      password: 'long enough',
      fields: { joinedBy: `tow's rope`, call: 'Kit' },
    };
    const made = await service.call<WithFields & { handle: string }>('POST', '/v1/users', { body });
    expect([made.status, made.json.fields]).toEqual([
      201,
      { mooring: 'Tidewick', call: 'Kit', phone: null, joinedBy: `tow's rope` },
    ]);
    const token = (await service.house.get(Sessions).actAs(made.json.id)).accessToken!;
    const again = await service.call('PATCH', `/v1/users/${made.json.id}`, {
      as: token,
      body: { fields: { joinedBy: 'boat' } },
    });
    expect([again.status, again.json.detail]).toEqual([422, expect.stringContaining('joinedBy is written once')]);
    const taken = await service.call('POST', '/v1/users', { body: { ...body, email: 'other@wherry.example' } });
    expect(taken.json).toMatchObject({ status: 409, errors: [{ pointer: '/fields/call', detail: 'is taken' }] });
  });

  test('what is not for the caller’s eyes is nowhere in the reply', async () => {
    await service.call('PATCH', `/v1/users/${odile.id}`, { as: odile, body: { fields: { phone: '0123' } } });
    await asOperator('PATCH', { standing: 7 });
    expect((await profile(odile)).fields).toEqual({ mooring: 'Tidewick', call: null, phone: '0123', joinedBy: null });
    for (const seen of [await profile(), await profile(bram)])
      expect(seen.fields).toEqual({ mooring: 'Tidewick', call: null, joinedBy: null });
    expect((await asOperator('GET')).json.fields).toMatchObject({ phone: '0123', standing: 7 });
    for (const path of ['/v1/users', '/v1/openapi.json', '/v1/about', '/v1/users/@odile/posts.atom']) {
      const text = JSON.stringify((await service.call('GET', path)).json);
      expect(text).not.toContain('standing"');
      expect(text).not.toContain('0123');
    }
  });

  test('an edit that only the operator can see does not move the ETag; another does', async () => {
    const before = (await profile()).version;
    await asOperator('PATCH', { standing: 8 });
    expect((await profile()).version).toBe(before);
    await asOperator('PATCH', { mooring: 'Hob Lock' });
    expect(await profile()).toMatchObject({ version: before + 1, fields: { mooring: 'Hob Lock' } });
  });

  test('nobody learns the name of a hidden field by guessing at it', async () => {
    const guess = await service.call('PATCH', `/v1/users/${odile.id}`, {
      as: odile,
      body: { fields: { standing: 9 } },
    });
    expect(guess.status).toBe(422);
    expect(JSON.stringify(guess.json.errors)).toMatch(/the known ones are mooring, call, phone"/);
    expect((await service.call('GET', `/v1/operator/fields/users/${odile.id}`, { as: odile })).status).toBe(403);
    expect((await asOperator('PATCH', { standing: 'high' })).status).toBe(422);
  });

  test('the API document says what there is, and the console is told the same', async () => {
    const document = await service.call<{
      components: {
        schemas: Record<string, { properties: Record<string, { properties: object; required: string[] }> }>;
      };
    }>('GET', '/v1/openapi.json');
    const { fields } = document.json.components.schemas.Post!.properties;
    expect(fields!.properties).toMatchObject({
      lockNumber: { type: ['integer', 'null'], minimum: 1, maximum: 21 },
      order: { type: 'string', pattern: '^[A-Z]{2}-[0-9]+$' },
    });
    expect(fields!.required).toContain('order');
    const about = await service.call<{ fields: { table: string; name: string; needed: boolean }[] }>(
      'GET',
      '/v1/about',
    );
    expect(about.json.fields.filter(({ needed }) => needed)).toMatchObject([{ table: 'posts', name: 'order' }]);
  });
});
