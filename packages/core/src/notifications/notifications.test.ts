import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  readNotificationCursor,
  readSeenMark,
  writeNotificationCursor,
  writeSeenMark,
  type SeenMark,
} from '../feed/cursor.js';
import { readEventPosition, writeEventPosition, type EventPosition } from './event-position.js';
import { toldOfComment, toldOfMentions } from './told.js';

const [ADA, BO, CY] = ['ada', 'bo', 'cy'];

describe('whom a comment concerns', () => {
  const made = { id: 'c', authorId: BO, postId: 'p', postAuthorId: ADA, parent: null, mentioned: [] };
  const said = (tellings: ReturnType<typeof toldOfComment>) =>
    tellings.map(({ userId, kind, targetId }) => [userId, kind, targetId]);

  test('those whom it mentions, whom it answers, whose post it is on: in this order', () => {
    expect(said(toldOfComment(made))).toEqual([[ADA, 'commented', 'p']]);
    expect(said(toldOfComment({ ...made, parent: { id: 'q', authorId: CY }, mentioned: [CY, ADA] }))).toEqual([
      [CY, 'mentioned', 'c'],
      [ADA, 'mentioned', 'c'],
      [CY, 'replied', 'q'],
      [ADA, 'commented', 'p'],
    ]);
  });

  test('an edit concerns those whom it did not mention before', () => {
    const text = { id: 'c', authorId: BO, postId: 'p' };
    expect(said(toldOfMentions(text, [ADA, CY], [CY]))).toEqual([[ADA, 'mentioned', 'c']]);
    expect(toldOfMentions(text, [CY], [CY, ADA])).toEqual([]);
  });
});

const snapshot = fc.tuple(fc.integer({ min: 1, max: 1e9 }), fc.nat(1000)).map(([xmin, n]) => `${xmin}:${xmin + n}:`);

describe('how far somebody has heard', () => {
  test('comes back as it was written, and nothing else is one', () => {
    const position = fc.record(
      {
        at: fc.integer({ min: 0, max: 4e12 }),
        snapshot,
        within: fc.record({ snapshot, row: fc.integer({ min: 1 }).map(String), n: fc.nat(999) }),
      },
      { requiredKeys: ['at', 'snapshot'] },
    );
    fc.assert(
      fc.property(position, (each) =>
        expect(readEventPosition(writeEventPosition(each as EventPosition))).toEqual(each),
      ),
    );
    fc.assert(
      fc.property(fc.string(), (text) => {
        const read = readEventPosition(text);
        if (read !== null) expect(writeEventPosition(read)).toBe(text);
      }),
    );
    for (const text of [
      '',
      '/',
      'x/1:2',
      'x/2:1:',
      'x/1:2:/3',
      'x/1:2:/1:2:/0/1',
      'x/1:2:/1:2:/5/-1',
      `x/1:2:${'9'.repeat(5000)}`,
    ])
      expect([text, readEventPosition(text)]).toEqual([text, null]);
  });
});

describe('what a list could show', () => {
  const key = { tag: '0a0b0c0d', secret: new Uint8Array(32).fill(7) };
  const other = { tag: '0a0b0c0d', secret: new Uint8Array(32).fill(8) };
  const mark: SeenMark = {
    userId: '01902345-6789-7abc-8def-0123456789ab',
    kinds: ['mentioned', 'replied'],
    snapshot: '10:12:11',
    begun: Date.UTC(2026, 0, 1),
  };
  const position = { at: Date.UTC(2026, 0, 2), id: mark.userId };

  test('comes back as it was signed, and is neither forged nor taken for something else', () => {
    const [seen, next] = [writeSeenMark(mark, key), writeNotificationCursor({ ...mark, position }, key)];
    expect(readSeenMark(seen, [key])).toEqual(mark);
    expect(readNotificationCursor(next, [key])).toEqual({ ...mark, position });
    expect([readSeenMark(seen, [other]), readSeenMark(next, [key]), readNotificationCursor(seen, [key])]).toEqual([
      null,
      null,
      null,
    ]);
    for (let i = 0; i < seen.length; i++) {
      const changed = seen.slice(0, i) + (seen[i] === 'A' ? 'B' : 'A') + seen.slice(i + 1);
      expect(readSeenMark(changed, [key])).toBeNull();
    }
  });
});
