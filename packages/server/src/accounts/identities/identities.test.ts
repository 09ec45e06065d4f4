import { writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { exportJWK, generateKeyPair, SignJWT, type CryptoKey } from 'jose';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { AccountDeletion } from '../users/deletion/service.js';

interface Session {
  accessToken: string;
  user: { id: string; handle: string; name: string };
}
type Problem = { type: string; detail: string };
const codeOf = ({ json }: { json: unknown }) => (json as Problem).type?.split('/').at(-1);

describe('signing in through a provider', () => {
  let service: TestService;
  beforeAll(async () => {
    service = await startTestService({ standIn: true });
  });
  afterAll(() => service.stop());

  const begin = (as?: Actor) =>
    service.call<{ ticket: string; url: string }>('POST', as ? '/v1/me/identities' : '/v1/provider-sign-ins', {
      ...(as && { as }),
      body: { provider: 'guild' },
    });
  /** Goes to the provider as a browser would, says who it is, and comes back with what the provider sends. */
  async function visit(url: string, person: string): Promise<Record<string, string>> {
    const jar = new Map<string, string>();
    const go = async (to: string, method = 'GET') => {
      const cookie = [...jar].map(([name, value]) => `${name}=${value}`).join('; ');
      const reply = await fetch(to, { method, redirect: 'manual', headers: { cookie } });
      for (const set of reply.headers.getSetCookie()) {
        const [name, value] = set.split(';')[0]!.split('=') as [string, string];
        jar.set(name, value);
      }
      return new URL(reply.headers.get('location') ?? to, to).href;
    };
    let at = await go(url);
    at = await go(`${at}/${person}`, 'POST');
    while (!at.startsWith(service.address)) at = await go(at);
    return Object.fromEntries(new URL(at).searchParams);
  }
  const finish = (ticket: string, parameters: object, as?: Actor) =>
    service.call<Session>('POST', as ? '/v1/me/identities/finish' : '/v1/provider-sign-ins/finish', {
      ...(as && { as }),
      body: { ticket, parameters },
    });
  const signIn = async (person: string) => {
    const { json } = await begin();
    return finish(json.ticket, await visit(json.url, person));
  };

  test('makes a user from the claims the first time, and finds it the next', async () => {
    const first = await signIn('guild-011');
    expect(first).toMatchObject({ status: 201, json: { user: { name: 'Marit Holloway', handle: 'marit' } } });
    const me = await service.call('GET', '/v1/me', { as: first.json.accessToken });
    expect(me.json).toMatchObject({ id: first.json.user.id, email: null });
    expect((await signIn('guild-011')).json.user.id).toBe(first.json.user.id);
  });

  test('a handle that is taken is made unique', async () => {
    await service.user('senna');
    expect((await signIn('guild-013')).json.user.handle).toMatch(/^senna_quill|^senna\d|^senna_/);
  });

  test('is begun and ended by one browser, once, in time, and as it was begun', async () => {
    const { json } = await begin();
    const back = await visit(json.url, 'guild-011');
    expect(codeOf(await finish('another ticket', back))).toBe('bad-ticket');
    for (const wrong of [
      { ...back, state: 'x' },
      { ...back, code: 'x' },
      { error: 'access_denied', state: back.state! },
    ]) {
      const other = (await begin()).json;
      await visit(other.url, 'guild-011');
      expect(codeOf(await finish(other.ticket, wrong))).toBe('provider-refused');
    }
    // A code of another sign-in has another nonce and another verifier.
    const [mine, theirs] = [(await begin()).json, (await begin()).json];
    const [backMine, backTheirs] = [await visit(mine.url, 'guild-011'), await visit(theirs.url, 'guild-012')];
    expect(codeOf(await finish(mine.ticket, { ...backMine, code: backTheirs.code }))).toBe('provider-refused');
    expect((await finish(json.ticket, back)).status).toBe(201);
    expect(codeOf(await finish(json.ticket, back))).toBe('bad-ticket');
    const late = (await begin()).json;
    await service.dataSource.query(`UPDATE provider_sign_ins SET created_at = created_at - interval '11 minutes'`);
    expect(codeOf(await finish(late.ticket, await visit(late.url, 'guild-011')))).toBe('bad-ticket');
  });

  test('an account is linked by its owner, signed in, alone; and only once', async () => {
    const [owner, other] = [await service.user('linker'), await service.user('other_linker')];
    const mine = (await begin(owner)).json;
    const back = await visit(mine.url, 'guild-012');
    // Neither another user nor nobody can end it.
    expect(codeOf(await finish(mine.ticket, back))).toBe('bad-ticket');
    const again = (await begin(owner)).json;
    expect(codeOf(await finish(again.ticket, await visit(again.url, 'guild-012'), other))).toBe('bad-ticket');
    const third = (await begin(owner)).json;
    expect((await finish(third.ticket, await visit(third.url, 'guild-012'), owner)).status).toBe(201);
    expect((await signIn('guild-012')).json.user.handle).toBe('linker');
    const theirs = (await begin(other)).json;
    expect(codeOf(await finish(theirs.ticket, await visit(theirs.url, 'guild-012'), other))).toBe('identity-taken');
    const [identity] = (await service.call<{ items: { id: string }[] }>('GET', '/v1/me/identities', { as: owner })).json
      .items;
    const path = `/v1/me/identities/${identity!.id}`;
    expect((await service.call('DELETE', path, { as: other })).status).toBe(403);
    // Without a password it is the only way in.
    expect(codeOf(await service.call('DELETE', path, { as: owner }))).toBe('only-way-in');
    await service.dataSource.query(
      `INSERT INTO credentials (user_id, email, password_hash) VALUES ($1, 'l@cut.example', 'x')`,
      [owner.id],
    );
    expect((await service.call('DELETE', path, { as: owner })).status).toBe(204);
  });

  test('of two identities that are unlinked at once one stays, as the only way in', async () => {
    for (let round = 0; round < 5; round++) {
      const owner = await service.user();
      const ids = await service.dataSource.query<{ id: string }[]>(
        `INSERT INTO identities (id, user_id, issuer, subject) SELECT gen_random_uuid(), $1::uuid, 'https://twice.example', $1::text || n
         FROM generate_series(1, 2) n RETURNING id`,
        [owner.id],
      );
      const replies = await Promise.all(
        ids.map(({ id }) => service.call('DELETE', `/v1/me/identities/${id}`, { as: owner })),
      );
      expect(replies.map(({ status }) => status).sort()).toEqual([204, 409]);
    }
  });

  test('an unknown provider is named, and one that is away is said to be', async () => {
    expect((await service.call('POST', '/v1/provider-sign-ins', { body: { provider: 'nobody' } })).status).toBe(404);
    const providers = [{ name: 'away', title: 'Away', issuer: 'http://127.0.0.1:9', clientId: 'x' }];
    const lonely = await startTestService({ configuration: { signIn: { providers } } });
    expect(codeOf(await lonely.call('POST', '/v1/provider-sign-ins', { body: { provider: 'away' } }))).toBe(
      'provider-away',
    );
    await lonely.stop();
  });

  test('a deleted account stays gone', async () => {
    const { json } = await signIn('guild-011');
    const path = `/v1/users/${json.user.id}`;
    expect((await service.call('DELETE', path, { as: json.accessToken, body: { handle: 'wrong' } })).status).toBe(422);
    expect((await service.call('DELETE', path, { as: json.accessToken, body: { handle: 'marit' } })).status).toBe(204);
    expect(codeOf(await signIn('guild-011'))).toBe('account-gone');
    const kept = await service.dataSource.query<object[]>(`SELECT 1 FROM identities WHERE subject = 'guild-011'`);
    expect(kept).toEqual([]);
  });
});

describe('bearer tokens of an outside issuer', () => {
  const ISSUER = 'https://sign-in.cut.example';
  const AUDIENCE = 'gather-lane-of-the-cut';
  const file = join(tmpdir(), `gather-lane-keys-${process.pid}.json`);
  let service: TestService;
  let keyServer: Server;
  let asked = 0;
  let published: object[] = [];
  let pairs: { privateKey: CryptoKey; publicKey: CryptoKey }[];
  const jwk = async (index: number, kid: string) => ({
    ...(await exportJWK(pairs[index]!.publicKey)),
    kid,
    alg: 'RS256',
    use: 'sig',
  });

  beforeAll(async () => {
    pairs = await Promise.all([0, 1, 2].map(() => generateKeyPair('RS256', { extractable: true })));
    published = [await jwk(0, 'first')];
    keyServer = createServer((_request, response) => {
      // Takes the call, and never answers.
      if (_request.url === '/silent') return;
      asked++;
      response.setHeader('content-type', 'application/json').end(JSON.stringify({ keys: published }));
    });
    await new Promise<void>((resolve) => keyServer.listen(0, '127.0.0.1', resolve));
    const { port } = keyServer.address() as { port: number };
    writeFileSync(file, JSON.stringify({ keys: [await jwk(2, 'of-file')] }));
    const issuers = [
      {
        issuer: ISSUER,
        audience: AUDIENCE,
        keys: `http://127.0.0.1:${port}/keys`,
        algorithms: ['RS256'],
        clockToleranceSeconds: 5,
      },
      {
        issuer: 'https://silent.cut.example',
        audience: AUDIENCE,
        keys: `http://127.0.0.1:${port}/silent`,
        algorithms: ['RS256'],
      },
      { issuer: 'https://other.cut.example', audience: AUDIENCE, keys: file, claims: { name: 'full', handle: 'nick' } },
    ];
    service = await startTestService({ configuration: { signIn: { issuers } } });
  });
  afterAll(async () => {
    keyServer.closeAllConnections();
    keyServer.close();
    await service.stop();
  });

  interface Wish {
    claims?: Record<string, unknown>;
    subject?: string;
    issuer?: string;
    audience?: string | null;
    key?: CryptoKey | Uint8Array;
    kid?: string;
    alg?: string;
    expires?: number;
    starts?: number;
  }
  async function token(wish: Wish = {}): Promise<string> {
    const now = Math.floor(Date.now() / 1000);
    const jwt = new SignJWT({
      name: 'Hattie Marsh',
      preferred_username: 'hattie',
      email: 'odile@cut.example',
      email_verified: true,
      ...wish.claims,
    })
      .setProtectedHeader({ alg: wish.alg ?? 'RS256', kid: wish.kid ?? 'first' })
      .setSubject(wish.subject ?? 'app-user-1')
      .setIssuer(wish.issuer ?? ISSUER)
      .setExpirationTime(wish.expires ?? now + 300);
    if (wish.audience !== null) jwt.setAudience(wish.audience ?? AUDIENCE);
    if (wish.starts) jwt.setNotBefore(wish.starts);
    return jwt.sign(wish.key ?? pairs[0]!.privateKey);
  }
  const me = async (wish: Wish = {}) => service.call('GET', '/v1/me', { as: await token(wish) });

  test('are taken as they are: the first call makes the user, also when several come at once', async () => {
    const replies = await Promise.all(Array.from({ length: 8 }, () => me()));
    expect(replies.map(({ status }) => status)).toEqual(Array(8).fill(200));
    expect(new Set(replies.map(({ json }) => json.id)).size).toBe(1);
    expect(replies[0]!.json).toMatchObject({ handle: 'hattie', name: 'Hattie Marsh', email: null, session: null });
    expect(asked).toBe(1);
    const made = await service.call('POST', '/v1/posts', { as: await token(), body: { body: 'With my own sign-in' } });
    expect(made).toMatchObject({ status: 201, json: { author: { handle: 'hattie' } } });
    expect((await service.call('DELETE', '/v1/sessions/current', { as: await token() })).status).toBe(409);
  });

  test('an e-mail claim links no account', async () => {
    const { json } = await service.call<{ id: string }>('POST', '/v1/users', {
      body: { name: 'Odile', email: 'odile@cut.example', password: 'narrowboat crew' },
    });
    expect((await me({ subject: 'app-user-2' })).json.id).not.toBe(json.id);
  });

  test('a picture’s address is kept as addresses are written, and takes no list down', async () => {
    const pictures = {
      'pic-1': ['https://x.example/bilder/j\u00FCrgen.jpg', 'https://x.example/bilder/j%C3%BCrgen.jpg'],
      'pic-2': ['https://x.example/a"b<c>.jpg', 'https://x.example/a%22b%3Cc%3E.jpg'],
      'pic-3': ['https://B\u00DCCHER.example/a b.jpg', 'https://xn--bcher-kva.example/a%20b.jpg'],
      'pic-4': ['javascript:alert(1)', null],
      'pic-5': ['https://', null],
    };
    for (const [subject, [picture, kept]] of Object.entries(pictures)) {
      const { json } = await me({ subject, claims: { preferred_username: subject.replace('-', '_'), picture } });
      expect(json.picture).toBe(kept);
      const as = await token({ subject, claims: { picture } });
      expect((await service.call('POST', '/v1/posts', { as, body: { body: 'With my picture' } })).status).toBe(201);
    }
    for (const path of ['/v1/posts', '/v1/users']) expect((await service.call('GET', path)).status).toBe(200);
  });

  test('the same subject of another issuer is somebody else, made from the claims that are configured', async () => {
    const wish = {
      issuer: 'https://other.cut.example',
      kid: 'of-file',
      key: pairs[2]!.privateKey,
      claims: { full: 'Elsewhere', nick: 'else' },
    };
    const [here, there] = [await me(), await me(wish)];
    expect(there.json).toMatchObject({ handle: 'else', name: 'Elsewhere' });
    expect(here.json.id).not.toBe(there.json.id);
  });

  test('are refused with a wrong audience, issuer, key, algorithm or time', async () => {
    const now = Math.floor(Date.now() / 1000);
    const [, payload] = (await token()).split('.') as [string, string];
    const unsigned = `${Buffer.from('{"alg":"none"}').toString('base64url')}.${payload}.`;
    // The public key as a shared secret, and our own secret with the name of the other.
    const shared = new TextEncoder().encode(JSON.stringify(await exportJWK(pairs[0]!.publicKey)));
    const [{ secret }] = await (async () => {
      await service.user();
      return service.dataSource.query<[{ secret: Buffer }]>(`SELECT secret FROM signing_keys`);
    })();
    const bad: (Wish | string)[] = [
      { audience: 'somebody-else' },
      { audience: null },
      { issuer: 'https://unknown.cut.example' },
      { issuer: 'gather-lane' },
      { key: pairs[1]!.privateKey },
      { key: pairs[2]!.privateKey, kid: 'of-file' },
      { key: shared, alg: 'HS256' },
      { key: new Uint8Array(secret), alg: 'HS256' },
      { key: pairs[0]!.privateKey, alg: 'PS256' },
      { expires: now - 6 },
      { starts: now + 60 },
      { subject: '' },
      unsigned,
    ];
    for (const wish of bad) {
      const as = typeof wish === 'string' ? wish : await token(wish).catch(() => 'not.a.token');
      expect([wish, (await service.call('GET', '/v1/me', { as })).status]).toEqual([wish, 401]);
    }
    // Within the tolerance of clocks it is still good.
    expect((await me({ expires: now - 2 })).status).toBe(200);
  });

  test('a changed key is fetched once, and a flood of made-up ones is not', async () => {
    published = [await jwk(1, 'second')];
    const before = asked;
    for (let i = 0; i < 5; i++) await me({ kid: `made-up-${i}` });
    expect(asked - before).toBeLessThanOrEqual(1);
  });

  test('a deleted account stays gone, though its token is good', async () => {
    const wish = { subject: 'leaver', claims: { preferred_username: 'leaver' } };
    const { json } = await me(wish);
    const deleted = await service.call('DELETE', `/v1/users/${json.id as string}`, {
      as: await token(wish),
      body: { handle: 'leaver' },
    });
    expect(deleted.status).toBe(204);
    expect(codeOf(await me(wish))).toBe('account-gone');
    await service.house.get(AccountDeletion).erase();
    expect(codeOf(await me(wish))).toBe('account-gone');
  });

  test('keys of an address that never answers are not waited for', async () => {
    const { status, json } = await me({ issuer: 'https://silent.cut.example' });
    expect([status, codeOf({ json })]).toEqual([503, 'no-keys']);
  });

  test('keys that are not to be had are said to be, and nobody is let in', async () => {
    const issuers = [{ issuer: ISSUER, audience: AUDIENCE, keys: 'http://127.0.0.1:9/keys' }];
    const lonely = await startTestService({ configuration: { signIn: { issuers } } });
    expect(codeOf(await lonely.call('GET', '/v1/me', { as: await token() }))).toBe('no-keys');
    await lonely.stop();
  });
});

describe('a required field of the developer’s own', () => {
  const model = { users: { fields: { mooring: { type: 'string', required: true, maxLength: 20 } } } } as const;
  const issuer = 'https://app.example';

  async function serviceWith(claims: object) {
    const { privateKey, publicKey } = await generateKeyPair('RS256', { extractable: true });
    const file = join(tmpdir(), `gather-lane-own-keys-${process.pid}.json`);
    writeFileSync(file, JSON.stringify({ keys: [{ ...(await exportJWK(publicKey)), kid: 'k', alg: 'RS256' }] }));
    const issuers = [{ issuer, audience: 'app', keys: file, claims }];
    const service = await startTestService({ model, configuration: { signIn: { issuers } } });
    const me = async (subject: string, more: object = {}) =>
      service.call<{ fields: object; detail: string; type: string }>('GET', '/v1/me', {
        as: await new SignJWT({ name: 'Hattie', ...more })
          .setProtectedHeader({ alg: 'RS256', kid: 'k' })
          .setSubject(subject)
          .setIssuer(issuer)
          .setAudience('app')
          .setExpirationTime('5m')
          .sign(privateKey),
      });
    return { service, me };
  }

  test('without a claim for it an outside token is told which, and where to map it; the check of ownership works', async () => {
    const { service, me } = await serviceWith({});
    const { status, json } = await me('one');
    expect([status, codeOf({ json }), json.detail]).toEqual([
      422,
      'claim-missing',
      expect.stringMatching(/users\.mooring.*signIn\.issuers\[\]\.claims\.fields\.mooring/),
    ]);
    const changes = await service.call<{ warnings: string[] }>('GET', '/v1/operator/model/changes', {
      as: service.operatorKey,
    });
    expect(changes.json.warnings).toEqual([expect.stringContaining('users.mooring is required')]);
    const check = await service.call<{ faults: number }>('POST', '/v1/operator/ownership-checks', {
      as: service.operatorKey,
      body: { only: ['deletePost'] },
    });
    expect([check.status, check.json.faults]).toEqual([200, 0]);
    await service.stop();
  });

  test('is made from the claim that is mapped to it, or the default of the mapping', async () => {
    const { service, me } = await serviceWith({ fields: { mooring: { claim: 'berth', default: 'adrift' } } });
    expect((await me('one', { berth: 'Aldwick' })).json.fields).toMatchObject({ mooring: 'Aldwick' });
    expect((await me('two')).json.fields).toMatchObject({ mooring: 'adrift' });
    await service.stop();
  });
});
