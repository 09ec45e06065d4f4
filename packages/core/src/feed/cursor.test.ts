import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  cursorKeyTag,
  isSnapshot,
  readFeedCursor as readFeed,
  readListCursor as readList,
  writeFeedCursor as writeFeed,
  writeListCursor as writeList,
  type FeedCursor,
  type ListCursor,
} from './cursor.js';

const key = { tag: '0badcafe', secret: new Uint8Array(32).fill(7) };
const other = { tag: '0badcafe', secret: new Uint8Array(32).fill(8) };
const readFeedCursor = (text: string) => readFeed(text, [key]);
const readListCursor = (text: string) => readList(text, [key]);
const writeFeedCursor = (cursor: FeedCursor) => writeFeed(cursor, key);
const writeListCursor = (cursor: ListCursor) => writeList(cursor, key);

const instant = fc.integer({ min: Date.parse('0001-01-01T00:00:00Z'), max: Date.parse('9999-12-31T23:59:59.999Z') });
const snapshot = fc.tuple(fc.bigInt({ min: 1n, max: 10n ** 15n }), fc.uniqueArray(fc.nat(500), { maxLength: 20 })).map(
  ([xmin, gaps]) =>
    `${xmin}:${xmin + 501n}:${[...gaps]
      .sort((a, b) => a - b)
      .map((gap) => xmin + BigInt(gap))
      .join(',')}`,
);
const feedCursor: fc.Arbitrary<FeedCursor> = fc.record(
  {
    mark: fc.constantFrom('next', 'first'),
    order: fc.constantFrom('recent', 'score'),
    own: fc.boolean(),
    weighting: fc.integer({ min: 1, max: 1e6 }),
    position: fc.record({ at: instant, id: fc.uuid() }),
    snapshot,
    begun: instant,
    seen: fc.nat().map((n) => `3F/${n.toString(16).toUpperCase()}`),
  },
  { requiredKeys: ['mark', 'order', 'own', 'weighting', 'position', 'snapshot', 'begun'] },
);

describe('feed cursors', () => {
  test('read back as they were written, and fit in a URL', () => {
    fc.assert(
      fc.property(feedCursor, (cursor) => {
        const text = writeFeedCursor(cursor);
        expect(text).toMatch(/^[\w-]+$/);
        expect(readFeedCursor(text)).toEqual(cursor);
      }),
    );
  });

  test('any changed, removed or added character is refused', () => {
    const alphabet = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_';
    fc.assert(
      fc.property(feedCursor, fc.nat(), fc.constantFrom(...alphabet, '=', '+', ' ', '%'), (cursor, at, character) => {
        const text = writeFeedCursor(cursor);
        const i = at % text.length;
        fc.pre(text[i] !== character);
        expect(readFeedCursor(text.slice(0, i) + character + text.slice(i + 1))).toBeNull();
        expect(readFeedCursor(text.slice(0, i) + text.slice(i + 1))).toBeNull();
        expect(readFeedCursor(text.slice(0, i) + character + text.slice(i))).toBeNull();
      }),
    );
  });

  test('arbitrary text is refused, never thrown at', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 200 }), (text) => expect(readFeedCursor(text)).toBeNull()),
    );
    expect(readFeedCursor('A'.repeat(20_000))).toBeNull();
  });

  test('the mark of an empty feed has no position; a next cursor always has one', () => {
    const empty = {
      mark: 'first',
      order: 'score',
      own: true,
      weighting: 1,
      position: null,
      snapshot: '5:5:',
      begun: 0,
    } as const;
    expect(readFeedCursor(writeFeedCursor(empty))).toEqual(empty);
    expect(readFeedCursor(writeFeedCursor({ ...empty, mark: 'next' }))).toBeNull();
  });

  test('one that another key signed is refused, and names its key', () => {
    fc.assert(
      fc.property(feedCursor, (cursor) => {
        const forged = writeFeed(cursor, other);
        expect(readFeedCursor(forged)).toBeNull();
        expect(readFeed(forged, [])).toBeNull();
        expect(readFeed(forged, [other])).toEqual(cursor);
        expect(cursorKeyTag(forged)).toBe(key.tag);
      }),
    );
    for (const text of ['', 'AAA', '%', '\0']) expect(cursorKeyTag(text)).not.toBe(key.tag);
  });

  test.each([
    ['a year after 9999', { begun: Date.parse('9999-12-31T23:59:59.999Z') + 1 }],
    ['a year before 1', { position: { at: -8.64e15, id: '00000000-0000-7000-8000-000000000000' } }],
    ['a weighting that no column holds', { weighting: 2 ** 31 }],
    ['a weighting before the first', { weighting: 0 }],
    ['a place that is in no log', { seen: 'somewhere' }],
  ])('%s is refused, even signed', (_, wrong) => {
    const fine: FeedCursor = {
      mark: 'next',
      order: 'score',
      own: true,
      weighting: 1,
      position: { at: 0, id: '00000000-0000-7000-8000-000000000000' },
      snapshot: '5:5:',
      begun: 0,
    };
    expect(readFeedCursor(writeFeedCursor(fine))).toEqual(fine);
    expect(readFeedCursor(writeFeedCursor({ ...fine, ...wrong }))).toBeNull();
  });

  test('a snapshot that PostgreSQL would refuse is refused first', () => {
    expect(['10:20:', '10:10:', '10:20:10,15,19'].map(isSnapshot)).toEqual([true, true, true]);
    const wrong = ['', '0:5:', '20:10:', '10:20:9', '10:20:20', '10:20:15,12', '10:20:15,15', '10:20', "1:1:' OR 1=1"];
    expect(wrong.filter(isSnapshot)).toEqual([]);
    const base = {
      mark: 'next',
      order: 'score',
      own: true,
      weighting: 1,
      position: { at: 0, id: '00000000-0000-7000-8000-000000000000' },
      begun: 0,
    } as const;
    expect(readFeedCursor(writeFeedCursor({ ...base, snapshot: '20:10:' }))).toBeNull();
  });
});

describe('list cursors', () => {
  test('read back as they were written, and are not taken for feed cursors', () => {
    fc.assert(
      fc.property(fc.string(), fc.oneof(instant, fc.string({ unit: 'grapheme' })), fc.uuid(), (list, at, id) => {
        const text = writeListCursor({ list, key: at, id });
        expect(readListCursor(text)).toEqual({ list, key: at, id });
        expect(readFeedCursor(text)).toBeNull();
      }),
    );
  });

  test('a feed cursor is no list cursor', () => {
    fc.assert(fc.property(feedCursor, (cursor) => expect(readListCursor(writeFeedCursor(cursor))).toBeNull()));
  });
});
