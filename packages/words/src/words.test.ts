import { describe, expect, test } from '@jest/globals';
import { readDuration, sayActors, sayAgo, sayDay, sayDuration, sayInstant, sayNotification } from './index.js';

const MIN = 60_000;
const H = 60 * MIN;

describe('lengths of time', () => {
  test.each([
    [0, '0 s'],
    [45_000, '45 s'],
    [90_000, '2 min'],
    [45 * MIN, '45 min'],
    [H, '1 h'],
    [72 * MIN, '1 h 12 min'],
    [-6 * H, '6 h'],
    [36 * H + 5 * MIN, '1 d 12 h'],
    [48 * H, '2 d'],
  ])('%d ms is %s', (ms, said) => expect(sayDuration(ms)).toBe(said));

  test.each([
    ['4h', 4 * H],
    ['90min', 90 * MIN],
    ['90m', 90 * MIN],
    [' 1.5 d ', 36 * H],
    ['30s', 30_000],
    ['4', null],
    ['4 weeks', null],
    ['-4h', null],
  ])('"%s" is read as %s', (text, ms) => expect(readDuration(text)).toBe(ms));
});

describe('instants', () => {
  const instant = '2026-11-22T06:05:59.999Z';

  test('are said in UTC, whatever the clock of who reads', () => {
    expect(sayInstant(instant)).toBe('22 Nov 06:05');
    expect(sayInstant(Date.parse(instant))).toBe('22 Nov 06:05');
    expect(sayDay(instant)).toBe('22 Nov 2026');
  });

  test.each([
    [-5_000, 'just now'],
    [59_999, 'just now'],
    [MIN, '1 min ago'],
    [59 * MIN, '59 min ago'],
    [H, '1 h ago'],
    [23 * H, '23 h ago'],
    [50 * H, '2 d ago'],
  ])('%d ms later it was %s', (later, said) => expect(sayAgo(instant, Date.parse(instant) + later)).toBe(said));
});

describe('a notification', () => {
  const of = (...names: string[]) => names.map((name) => ({ name }));
  test.each([
    [of('Bram'), 0, false, 'Bram'],
    [of('Bram', 'Wren'), 0, false, 'Bram and Wren'],
    [of('Bram', 'Wren', 'Odile'), 1, false, 'Bram, Wren, Odile and 1 other'],
    [of('Bram', 'Wren', 'Odile'), 11, false, 'Bram, Wren, Odile and 11 others'],
    [of('Bram', 'Wren', 'Odile'), 99, true, 'Bram, Wren, Odile and more than 99 others'],
    [[], 0, false, 'Somebody'],
  ])('names %j and %d others', (actors, others, more, said) => {
    expect(sayActors({ actors, others, more })).toBe(said);
  });

  test('says what they did, and to what', () => {
    const one = {
      actors: of('Bram'),
      others: 0,
      more: false,
      target: { kind: 'comment' },
      postId: 'p',
      commentId: 'c',
    } as const;
    expect(sayNotification({ ...one, kind: 'reacted' })).toBe('Bram reacted to your comment');
    expect(sayNotification({ ...one, kind: 'mentioned' })).toBe('Bram mentioned you in a comment');
    expect(sayNotification({ ...one, kind: 'mentioned', commentId: null })).toBe('Bram mentioned you in a post');
    expect(sayNotification({ ...one, kind: 'watched' })).toBe('Bram commented on a post that you watch');
  });
});
