import { describe, expect, test } from '@jest/globals';
import { Type, type TSchema } from 'typebox';
import { compileGoodReplies } from './serialisation.js';
import { referredBy, toWrite } from './written-schema.js';

const Author = Type.Object({ name: Type.String({ maxLength: 3 }) }, { $id: 'Author' });
const Post = Type.Object({ author: Type.Ref('Author#') }, { $id: 'Post' });
const Unasked = Type.Object({ what: Type.Ref('Nowhere#') }, { $id: 'Unasked' });
const SHARED = { Author, Post, Unasked };

/** How a reply of a schema is written. */
const writerOf = (schema: TSchema) =>
  compileGoodReplies(SHARED, {})({ schema, method: 'GET', url: '/', httpStatus: '200' });

const nullable = (schema: TSchema) => Type.Union([schema, Type.Null()]);
const oneOf = (...values: string[]) => Type.Union(values.map((value) => Type.Literal(value)));

describe('a schema as values are written by it', () => {
  test('has types in the place of options that are plain, or an object or nothing', () => {
    const schema = Type.Object({
      pattern: nullable(Type.Integer({ minimum: 1 })),
      kind: nullable(oneOf('a', 'b')),
      place: nullable(Type.Object({ at: nullable(Type.String()) })),
    });
    expect(toWrite(schema)).toMatchObject({
      properties: {
        pattern: { type: ['integer', 'null'] },
        kind: { type: ['string', 'null'] },
        place: { type: ['object', 'null'], properties: { at: { type: ['string', 'null'] } } },
      },
    });
    expect(JSON.stringify(toWrite(schema))).not.toContain('anyOf');
  });

  test('leaves whole what is told apart by what is in it', () => {
    const [circle, square] = [
      Type.Object({ shape: oneOf('circle', 'disc'), size: Type.Integer() }),
      Type.Object({ shape: oneOf('square', 'tile'), size: Type.Integer(), corners: Type.Optional(Type.Integer()) }),
    ];
    const write = writerOf(Type.Array(Type.Union([circle, square])));
    const drawn = [
      { shape: 'disc', size: 1 },
      { shape: 'tile', size: 2, corners: 4 },
    ];
    expect(JSON.parse(write(drawn))).toEqual(drawn);
  });

  test.each([
    [{ pattern: null, kind: 'b', place: { at: null } }],
    [{ pattern: 0, kind: null, place: null }],
    [{ pattern: 7, kind: 'neither of them', place: { at: '"\u2028' } }],
  ])('writes %j as it is', (value) => {
    const write = writerOf(
      Type.Object({
        pattern: nullable(Type.Integer({ minimum: 1 })),
        kind: nullable(oneOf('a', 'b')),
        place: nullable(Type.Object({ at: nullable(Type.String({ format: 'date' })) })),
      }),
    );
    expect(JSON.parse(write(value))).toEqual(value);
  });

  test('takes along what it refers to, by way of others too, and nothing else', () => {
    expect(referredBy(Type.Array(Type.Ref('Post#')), SHARED)).toEqual(['Post', 'Author']);
    // The one that leads nowhere would be an error if it were compiled.
    const write = writerOf(Type.Object({ post: nullable(Type.Ref('Post#')) }));
    for (const post of [{ author: { name: 'longer than three' } }, null])
      expect(JSON.parse(write({ post }))).toEqual({ post });
  });

  test('fails where something is missing that must be there', () => {
    expect(() => writerOf(Type.Ref('Post#'))({})).toThrow(/author/);
  });
});
