import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import sharp, { type Sharp } from 'sharp';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Media } from './service.js';
import { Removals } from '../../posts/moderation/service.js';
import { PicturesBeside1764000000025 } from '../../service/migrations/1764000000025-pictures-beside.js';

interface Picture {
  id: string;
  url: string;
  width: number;
  height: number;
  placeholder: string;
  alt: string;
  sizes: { width: number; height: number; url: string }[];
}
type Problem = { status: number; type: string; detail: string };

let service: TestService;
let [odile, bram]: Actor[] = [];
beforeAll(async () => {
  service = await startTestService();
  [odile, bram] = await Promise.all(['odile', 'bram'].map((handle) => service.user(handle)));
});
afterAll(() => service.stop());

let shade = 0;
/** A made-up landscape: another colour each time, so another content; JPEG writes colours that are close as one. */
function landscape(width = 800, height = 600) {
  const [r, g] = [8 * (++shade % 32), 8 * Math.floor(shade / 32)];
  return sharp({ create: { width, height, channels: 3, background: { r, g, b: 200 } } });
}

async function upload(as: Actor, bytes: Buffer, { name = 'boat.jpg', field = 'file', key = '' } = {}) {
  const form = new FormData();
  form.append(field, new Blob([new Uint8Array(bytes)]), name);
  const reply = await fetch(`${service.address}/v1/media`, {
    method: 'POST',
    headers: { authorization: `Bearer ${as.token}`, ...(key && { 'idempotency-key': key }) },
    body: form,
  });
  return { status: reply.status, json: (await reply.json()) as Picture & Problem };
}
const taken = async (as: Actor = odile!) => (await upload(as, await landscape().jpeg().toBuffer())).json;
const files = () =>
  readdirSync(join(service.folder, 'media'), { recursive: true }).filter((name) => /\.webp|\.part/.test(String(name)));
const rows = async (table: string) =>
  (await service.dataSource.query<[{ n: number }]>(`SELECT count(*)::integer AS n FROM ${table}`))[0].n;
const post = (as: Actor, body: object) =>
  service.call<{ id: string; media: Picture[]; body: string }>('POST', '/v1/posts', { as, body });
const got = async (url: string) => (await fetch(url)).status;

describe('uploading', () => {
  test.each([
    ['jpeg', (image: Sharp) => image.jpeg()],
    ['png', (image: Sharp) => image.png()],
    ['webp', (image: Sharp) => image.webp()],
  ])('takes a %s, whatever its name, and answers with its measures in every width', async (_, encode) => {
    const { status, json } = await upload(odile!, await encode(landscape(1600, 900)).toBuffer(), { name: 'notes.txt' });
    expect([status, json.width, json.height]).toEqual([201, 1600, 900]);
    expect(json.sizes.map(({ width, height }) => [width, height])).toEqual([
      [320, 180],
      [640, 360],
      [1280, 720],
    ]);
    for (const { url, width } of json.sizes) {
      const reply = await fetch(url);
      expect([reply.status, reply.headers.get('content-type')]).toEqual([200, 'image/webp']);
      expect(await sharp(Buffer.from(await reply.arrayBuffer())).metadata()).toMatchObject({ format: 'webp', width });
    }
    const tiny = await sharp(Buffer.from(json.placeholder.split(',')[1]!, 'base64')).metadata();
    expect(tiny.width).toBe(16);
  });

  test('a small picture is not blown up', async () => {
    const { json } = await upload(odile!, await landscape(200, 100).png().toBuffer());
    expect(json.sizes.map(({ width }) => width)).toEqual([200]);
  });

  test('is turned upright, and nothing that it says about itself is kept', async () => {
    const place = { IFD0: { Artist: 'Odile Ferrow' }, IFD3: { GPSLatitudeRef: 'N', GPSLatitude: '52/1 38/1 0/1' } };
    const sideways = await landscape(600, 400).withExif(place).withMetadata({ orientation: 6 }).jpeg().toBuffer();
    expect((await sharp(sideways).metadata()).orientation).toBe(6);
    const { json } = await upload(odile!, sideways);
    expect([json.width, json.height]).toEqual([400, 600]);
    const stored = await sharp(Buffer.from(await (await fetch(json.url)).arrayBuffer())).metadata();
    expect([stored.width, stored.height, stored.exif, stored.xmp, stored.orientation]).toEqual([
      400,
      600,
      undefined,
      undefined,
      undefined,
    ]);
  });

  test('the files may be kept for long, asked for again, and read in part', async () => {
    const { url } = await taken();
    const first = await fetch(url);
    expect(first.headers.get('cache-control')).toMatch(/max-age=31536000.*immutable/);
    const etag = first.headers.get('etag')!;
    expect((await fetch(url, { headers: { 'if-none-match': etag, 'cache-control': 'max-age=0' } })).status).toBe(304);
    const part = await fetch(url, { headers: { range: 'bytes=0-9' } });
    expect([part.status, (await part.arrayBuffer()).byteLength]).toEqual([206, 10]);
    expect(await got(url.replace('.webp', '.webp/../../operator.key'))).toBe(404);
    expect(await got(`${service.address}/media/..%2f..%2foperator.key`)).toBe(404);
  });

  const bad: [string, () => Promise<Buffer>, number, RegExp][] = [
    ['an SVG', async () => Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"/>'), 422, /no JPEG, PNG or WebP/],
    ['a GIF', () => landscape(10, 10).gif().toBuffer(), 422, /no JPEG, PNG or WebP/],
    ['a JPEG cut short', async () => (await landscape().jpeg().toBuffer()).subarray(0, 1500), 422, /cut short/],
    [
      'a PNG whose end was put back on',
      async () => {
        const whole = await sharp(Buffer.from(Array.from({ length: 120_000 }, (_, i) => (i * i) % 251)), {
          raw: { width: 200, height: 200, channels: 3 },
        })
          .png()
          .toBuffer();
        return Buffer.concat([whole.subarray(0, whole.length / 2), whole.subarray(-12)]);
      },
      422,
      /cut short|damaged/,
    ],
    [
      'a picture with an archive behind it',
      async () => Buffer.concat([await landscape().png().toBuffer(), Buffer.from('PK\u0003\u0004')]),
      422,
      /something else/,
    ],
    ['a decompression bomb', () => landscape(9000, 5000).png().toBuffer(), 422, /40 megapixels/],
    [
      'a file of more than 8 MB',
      async () => Buffer.concat([await landscape().jpeg().toBuffer(), Buffer.alloc(8 << 20)]),
      413,
      /8 MB/,
    ],
    ['nothing', async () => Buffer.alloc(0), 422, /no JPEG, PNG or WebP/],
  ];
  test.each(bad)('%s is refused and leaves nothing behind', async (_, make, status, detail) => {
    const before = [files().length, await rows('blobs'), await rows('uploads')];
    const { json, status: answered } = await upload(odile!, await make());
    expect([answered, json.detail]).toEqual([status, expect.stringMatching(detail)]);
    expect([files().length, await rows('blobs'), await rows('uploads')]).toEqual(before);
  });

  test('a file that would be lost is refused with how to send it', async () => {
    const send = async (path: string, headers: Record<string, string>, body: BodyInit) => {
      const reply = await fetch(service.address + path, {
        method: 'POST',
        headers: { authorization: `Bearer ${odile!.token}`, ...headers },
        body,
      });
      return [reply.status, ((await reply.json()) as Problem).detail] as const;
    };
    const text = new FormData();
    text.append('file', 'not a file');
    const elsewhere = new FormData();
    elsewhere.append('picture', new Blob(['x']), 'a.jpg');
    for (const [headers, body] of [
      [{ 'content-type': 'image/jpeg' }, 'x'],
      [{ 'content-type': 'application/json' }, '{"file":"aGVyb24="}'],
      [{}, text],
      [{}, elsewhere],
      [{}, new FormData()],
    ] as [Record<string, string>, BodyInit][]) {
      const [status, detail] = await send('/v1/media', headers, body);
      expect([status, detail]).toEqual([415, expect.stringContaining('multipart/form-data')]);
    }
    const form = new FormData();
    form.append('body', 'With a picture');
    form.append('file', new Blob(['x']), 'a.jpg');
    expect(await send('/v1/posts', {}, form)).toEqual([415, expect.stringContaining('POST /v1/media')]);
  });

  test('nobody uploads for nobody, or sees another’s upload', async () => {
    const { id } = await taken();
    expect((await service.call('POST', '/v1/media', { body: {} })).status).toBe(401);
    for (const method of ['GET', 'DELETE'])
      expect((await service.call(method, `/v1/media/${id}`, { as: bram! })).status).toBe(403);
  });
});

describe('the same content', () => {
  test('is stored once, each with an upload of their own; removing one takes nothing from the other', async () => {
    const bytes = await landscape().jpeg().toBuffer();
    const before = [files().length, await rows('blobs')];
    const replies = await Promise.all([odile!, bram!, odile!, bram!].map((as) => upload(as, bytes)));
    expect(new Set(replies.map(({ json }) => json.id)).size).toBe(4);
    expect(new Set(replies.map(({ json }) => json.url)).size).toBe(1);
    expect([files().length, await rows('blobs')]).toEqual([(before[0] as number) + 3, (before[1] as number) + 1]);
    const [mine, theirs, , last] = replies.map(({ json }) => json);
    const shown = (await post(bram!, { body: 'Look', media: [{ id: theirs!.id }] })).json.media[0]!;
    for (const [id, as] of [
      [mine!.id, odile],
      [replies[2]!.json.id, odile],
      [last!.id, bram],
    ] as const)
      expect((await service.call('DELETE', `/v1/media/${id}`, { as: as! })).status).toBe(204);
    expect(await got(shown.url)).toBe(200);
    expect((await service.call('DELETE', `/v1/media/${theirs!.id}`, { as: bram! })).status).toBe(409);
  });
});

describe('pictures on posts', () => {
  test('stand in their order with what they show, and may be all that a post is', async () => {
    const [a, b] = [await taken(), await taken()];
    const { status, json } = await post(odile!, { media: [{ id: b.id, alt: 'A heron at dawn' }, { id: a.id }] });
    expect([status, json.body]).toEqual([201, '']);
    expect(json.media.map(({ id, alt, width }) => [id, alt, width])).toEqual([
      [b.id, 'A heron at dawn', 800],
      [a.id, '', 800],
    ]);
    const feed = await service.call<{ items: { media: Picture[] }[] }>('GET', '/v1/feeds/following', { as: odile! });
    expect(feed.json.items[0]!.media).toEqual(json.media);
  });

  test('are the author’s own, six at most, each once', async () => {
    const mine = await taken();
    const theirs = await taken(bram);
    const bodies: [object, string][] = [
      [{ body: 'x', media: [{ id: mine.id }, { id: theirs.id }] }, '/media/1/id'],
      [{ body: 'x', media: [{ id: mine.id }, { id: mine.id }] }, '/media/1/id'],
      [{ body: 'x', media: [{ id: '0190a000-0000-7000-8000-00000000abcd' }] }, '/media/0/id'],
      [{ body: 'x', media: Array.from({ length: 7 }, () => ({ id: mine.id })) }, '/media'],
      [{ media: [] }, '/body'],
      [{}, '/body'],
    ];
    const before = await rows('posts');
    for (const [body, pointer] of bodies) {
      const { status, json } = await post(odile!, body);
      expect([status, (json as unknown as { errors: { pointer: string }[] }).errors[0]!.pointer]).toEqual([
        422,
        pointer,
      ]);
    }
    expect(await rows('posts')).toBe(before);
  });

  test('an edit adds, removes and reorders; what it said before is kept', async () => {
    const [a, b, c] = [await taken(), await taken(), await taken()];
    const { json } = await post(odile!, { body: 'Three', media: [{ id: a.id }, { id: b.id, alt: 'second' }] });
    const edit = (body: object) =>
      service.call<{ media: Picture[] }>('PATCH', `/v1/posts/${json.id}`, { as: odile!, body });
    const after = await edit({ media: [{ id: c.id }, { id: a.id, alt: 'now described' }] });
    expect(after.json.media.map(({ id, alt }) => [id, alt])).toEqual([
      [c.id, ''],
      [a.id, 'now described'],
    ]);
    expect((await edit({ body: null })).status).toBe(200);
    expect((await edit({ media: null })).status).toBe(422);
    const versions = await service.call('GET', `/v1/posts/${json.id}/versions`, { as: odile! });
    expect(versions.json.items).toMatchObject([
      { version: 2, body: 'Three', media: [{ id: c.id }, { id: a.id, alt: 'now described' }] },
      { version: 1, body: 'Three', media: [{ id: a.id }, { id: b.id, alt: 'second' }] },
    ]);
    expect((await service.call('GET', `/v1/posts/${json.id}/versions`, { as: bram! })).status).toBe(403);
    const first = await service.call<{ items: object[]; next: string }>(
      'GET',
      `/v1/posts/${json.id}/versions?limit=1`,
      { as: odile! },
    );
    const rest = await service.call('GET', `/v1/posts/${json.id}/versions?after=${first.json.next}`, { as: odile! });
    expect(rest.json.items).toMatchObject([{ version: 1 }]);
  });

  test('are shown as they are, whoever writes them and however: singly, two at once, moved, taken away', async () => {
    const { json } = await post(odile!, { body: 'Many hands' });
    const { dataSource } = service;
    const pictures = await Promise.all([taken(), taken(), taken()]);
    const put = `INSERT INTO post_pictures (post_id, position, upload_id, alt) VALUES ($1, $2, $3, $4)`;
    const shown = async () => {
      const { json: read } = await service.call<{ media: Picture[] }>('GET', `/v1/posts/${json.id}`, { as: bram! });
      return read.media.map(({ id, alt }) => [id, alt]);
    };
    const [a, b, c] = pictures.map(({ id }) => id);
    expect(await shown()).toEqual([]);
    // The second comes while the first is not committed, and sees it no sooner than it holds the post.
    const [one, two] = [dataSource.createQueryRunner(), dataSource.createQueryRunner()];
    try {
      for (const runner of [one, two]) await runner.startTransaction();
      await one.query(put, [json.id, 0, a, 'first']);
      const second = two.query(put, [json.id, 2, b, 'second']).then(() => two.commitTransaction());
      const waiting = `SELECT FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`;
      while ((await dataSource.query<unknown[]>(waiting)).length === 0);
      await one.commitTransaction();
      await second;
    } finally {
      await one.release();
      await two.release();
    }
    const others = [
      [a, 'first'],
      [b, 'second'],
    ];
    expect(await shown()).toEqual(others);
    await dataSource.query(put, [json.id, 1, c, 'between']);
    expect(await shown()).toEqual([others[0], [c, 'between'], others[1]]);
    await dataSource.query(`UPDATE post_pictures SET position = 4, alt = 'last' WHERE upload_id = $1`, [a]);
    expect(await shown()).toEqual([[c, 'between'], others[1], [a, 'last']]);
    const { json: other } = await post(odile!, { body: 'Where it goes' });
    await dataSource.query(`UPDATE post_pictures SET post_id = $1 WHERE upload_id = $2`, [other.id, b]);
    await dataSource.query(`DELETE FROM post_pictures WHERE upload_id = $1`, [c]);
    expect(await shown()).toEqual([[a, 'last']]);
    const moved = await service.call<{ media: Picture[] }>('GET', `/v1/posts/${other.id}`, { as: bram! });
    expect(moved.json.media.map(({ id }) => id)).toEqual([b]);
  });

  test('a deleted post takes its pictures out of sight, and really deleted it frees them', async () => {
    const picture = await taken();
    const { json } = await post(odile!, { media: [{ id: picture.id }] });
    await service.dataSource.query(`UPDATE uploads SET created_at = created_at - interval '2 days' WHERE id = $1`, [
      picture.id,
    ]);
    await service.house.get(Media).sweep();
    expect(await got(picture.url)).toBe(200);
    await service.call('DELETE', `/v1/posts/${json.id}`, { as: odile! });
    expect(await got(picture.url)).toBe(404);
    await service.call('POST', `/v1/posts/${json.id}/restore`, { as: odile!, body: {} });
    expect(await got(picture.url)).toBe(200);
    await service.call('DELETE', `/v1/posts/${json.id}`, { as: odile! });
    await service.dataSource.query(`UPDATE posts SET deleted_at = deleted_at - interval '31 days' WHERE id = $1`, [
      json.id,
    ]);
    const before = files().length;
    await service.house.get(Removals).purge();
    await service.house.get(Media).sweep();
    expect(files().length).toBe(before - 3);
  });

  test('an upload that nothing shows is swept after a day, not before', async () => {
    const [old, fresh] = [await taken(), await taken()];
    await service.dataSource.query(`UPDATE uploads SET created_at = created_at - interval '25 hours' WHERE id = $1`, [
      old.id,
    ]);
    await service.house.get(Media).sweep();
    expect([await got(old.url), await got(fresh.url)]).toEqual([404, 200]);
  });
});

describe('a profile’s picture', () => {
  test('is set from one’s own upload, shown on the author’s card, and cleared', async () => {
    const [mine, theirs] = [await taken(), await taken(bram)];
    const set = (picture: string | null) =>
      service.call('PATCH', `/v1/users/@odile`, { as: odile!, body: { picture } });
    expect((await set(theirs.id)).status).toBe(422);
    expect((await set(mine.id)).json.picture).toBe(mine.sizes[0]!.url);
    const { json } = await service.call('POST', '/v1/posts', { as: odile!, body: { body: 'With a face' } });
    expect(json.author).toMatchObject({ picture: mine.sizes[0]!.url });
    expect((await service.call('DELETE', `/v1/media/${mine.id}`, { as: odile! })).status).toBe(409);
    // Its file is what the picture's is, whatever a statement says.
    await service.dataSource.query(`UPDATE users SET picture_file = 'another-96.webp' WHERE handle = 'odile'`);
    expect((await service.call('GET', `/v1/users/@odile`, { as: bram! })).json.picture).toBe(mine.sizes[0]!.url);
    expect((await set(null)).json.picture).toBeNull();
  });
});

describe('a call that is sent again', () => {
  const send = (as: Actor, key: string, body: object, path = '/v1/posts') =>
    service.call<{ id: string; body: string }>('POST', path, { as, body, headers: { 'idempotency-key': key } });

  test('makes nothing anew and gives the same answer, also when both come at once', async () => {
    const before = await rows('posts');
    const replies = await Promise.all(Array.from({ length: 6 }, () => send(odile!, 'key-1', { body: 'Once' })));
    expect(new Set(replies.map(({ status, json }) => `${status} ${json.id}`)).size).toBe(1);
    expect(await rows('posts')).toBe(before + 1);
    await service.call('PATCH', `/v1/posts/${replies[0]!.json.id}`, { as: odile!, body: { body: 'Edited since' } });
    expect((await send(odile!, 'key-1', { body: 'Once' })).json).toEqual(replies[0]!.json);
  });

  test('with other content is 422; another caller and another route have keys of their own', async () => {
    const [{ json: first }, other] = [
      await send(odile!, 'key-2', { body: 'A' }),
      await send(odile!, 'key-2', { body: 'B' }),
    ];
    expect([other.status, (other.json as unknown as Problem).type]).toEqual([
      422,
      expect.stringMatching(/other-content$/),
    ]);
    expect((await send(bram!, 'key-2', { body: 'A' })).json.id).not.toBe(first.id);
    const comments = `/v1/posts/${first.id}/comments`;
    const said = [
      await send(odile!, 'key-2', { body: 'A' }, comments),
      await send(odile!, 'key-2', { body: 'A' }, comments),
    ];
    expect(said[0]!.json.id).toBe(said[1]!.json.id);
    expect(await service.call('GET', comments)).toMatchObject({ json: { items: [{ body: 'A' }] } });
  });

  test('a call that failed leaves its key free; one of more than a day ago too', async () => {
    expect((await send(odile!, 'key-3', { body: 'x', media: [{ id: odile!.id }] })).status).toBe(422);
    const { json } = await send(odile!, 'key-3', { body: 'x' });
    await service.dataSource.query(`UPDATE repeatable_calls SET created_at = created_at - interval '25 hours'`);
    expect((await send(odile!, 'key-3', { body: 'x' })).json.id).not.toBe(json.id);
  });

  test('an upload is made once too', async () => {
    const bytes = await landscape().jpeg().toBuffer();
    const [a, b] = [await upload(odile!, bytes, { key: 'up' }), await upload(odile!, bytes, { key: 'up' })];
    expect(a.json.id).toBe(b.json.id);
    expect((await upload(odile!, await landscape().jpeg().toBuffer(), { key: 'up' })).status).toBe(422);
  });
});

test('pictures from before they stood in the rows of posts and users are shown as they were', async () => {
  const [face, picture] = [await taken(), await taken()];
  await service.call('PATCH', '/v1/users/@odile', { as: odile!, body: { picture: face.id } });
  await post(odile!, { media: [{ id: picture.id, alt: 'A lock' }] });
  const list = async () => (await service.call<{ items: object[] }>('GET', '/v1/posts', { as: odile! })).json.items;
  const before = await list();
  expect(before[0]).toMatchObject({ author: { picture: face.sizes[0]!.url }, media: [{ alt: 'A lock' }] });
  const runner = service.dataSource.createQueryRunner();
  const migration = new PicturesBeside1764000000025();
  await runner.startTransaction();
  await migration.down(runner);
  await migration.up(runner);
  await runner.commitTransaction();
  await runner.release();
  expect(await list()).toEqual(before);
});
