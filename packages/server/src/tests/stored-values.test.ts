import { afterAll, beforeAll, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { startTestService, type Actor, type TestService } from './test-service.js';

let service: TestService;
let [writer, reader]: [Actor, Actor] = [null!, null!];
beforeAll(async () => {
  service = await startTestService({
    model: { posts: { fields: { note: { type: 'string', maxLength: 60 } } } },
  });
  [writer, reader] = [await service.user(), await service.user()];
  await service.call('PUT', `/v1/follows/${writer.id}`, { as: reader });
});
afterAll(() => service.stop());

/** Texts of all kinds: any code units, marks, joiners, overrides, script, addresses. */
const text = fc.oneof(
  fc.string({ unit: 'binary', maxLength: 40 }),
  fc.string({ unit: 'grapheme', maxLength: 40 }),
  fc.constantFrom('"', '\\', '</script>', '\u202E', '\u200D', '\uD800', '\u0000', 'a\nb', 'https://x.example/ü"<', ' '),
);

// What passes on the way in must come out of every list, as it was or as it is said to be kept.
test('whatever text passes on the way in comes out of every list', async () => {
  await fc.assert(
    fc.asyncProperty(text, text, text, async (name, body, note) => {
      const profile = await service.call('PATCH', `/v1/users/${writer.id}`, { as: writer, body: { name, bio: body } });
      expect([200, 400, 422]).toContain(profile.status);
      const post = await service.call<{ id: string }>('POST', '/v1/posts', {
        as: writer,
        body: { body, fields: { note } },
      });
      expect([201, 400, 422]).toContain(post.status);
      const comment =
        post.status === 201 &&
        (await service.call('POST', `/v1/posts/${post.json.id}/comments`, { as: writer, body: { body } }));
      const lists = [
        '/v1/users',
        '/v1/posts',
        `/v1/users/${writer.id}/posts`,
        '/v1/feeds/following',
        `/v1/users/${reader.id}/following`,
      ];
      if (comment) lists.push(`/v1/posts/${post.json.id}/comments`);
      for (const path of lists)
        expect([path, (await service.call('GET', path, { as: reader })).status]).toEqual([path, 200]);
      if (post.status !== 201) return;
      const { json } = await service.call<{ items: { id: string; body: string; fields: { note: string } }[] }>(
        'GET',
        '/v1/posts',
        { as: reader },
      );
      const there = json.items.find(({ id }) => id === post.json.id)!;
      expect([there.body, there.fields.note]).toEqual([body, note]);
    }),
    { numRuns: 60 },
  );
});
