import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { countCharacters, countCodePoints, firstCharacters, textFault } from './characters.js';
import { foldHandle, handleFault, handleFrom, RESERVED_HANDLES } from './handle.js';

const limit = { min: 1, max: 10 };

describe('counting characters', () => {
  test.each([
    ['a family of emoji', '👨‍👩‍👧‍👦', 1],
    ['combining marks', 'e\u0301\u0323', 1],
    ['a flag', '🇳🇱', 1],
    ['a skin tone', '👋🏽', 1],
    ['Hangul in parts', '\u1112\u1161\u11ab', 1],
    ['Devanagari', 'नि', 1],
    ['a line break of two code units', '\r\n', 1],
    ['plain letters', 'heron', 5],
    ['nothing', '', 0],
  ])('%s', (_, text, count) => expect(countCharacters(text)).toBe(count));

  test('texts joined by a space count as their sum and one', () => {
    const word = fc.stringMatching(/^[a-z]{1,20}$/);
    fc.assert(
      fc.property(word, word, (a, b) =>
        expect(countCharacters(`${a} ${b}`)).toBe(countCharacters(a) + countCharacters(b) + 1),
      ),
    );
  });
});

describe('faults of a text', () => {
  test('ten families fit where ten characters do, though they are 70 code points', () => {
    expect(textFault('👨‍👩‍👧‍👦'.repeat(10), limit)).toBeNull();
    expect(textFault('👨‍👩‍👧‍👦'.repeat(11), limit)).toBe('may have at most 10 characters, but has 11: shorten it');
  });

  test('one character of thousands of combining marks is still too long', () => {
    expect(textFault('a' + '\u0301'.repeat(4_000), limit)).toContain('at most 4000 code points, but has 4001');
  });

  test('NUL and lone surrogates are refused', () => {
    expect(textFault('a\0b', limit)).toContain('NUL');
    expect(textFault('a\ud800', limit)).toContain('surrogate');
  });

  test('nothing, or nothing that can be seen, is refused where something is needed', () => {
    expect(textFault('', limit)).toContain('must not be empty');
    expect(textFault(' \n\t ', limit)).toContain('must not be empty');
    expect(textFault('', { min: 0, max: 5 })).toBeNull();
  });
});

describe('handles', () => {
  test('are the same whatever their case, with or without the sign', () => {
    expect(foldHandle('@Odile_F')).toBe('odile_f');
  });

  test.each(['ab', '1abc', '_abc', 'a b c', 'a'.repeat(25), 'émile', 'a-b-c', ''])('%p is none', (handle) => {
    expect(handleFault(handle)).toContain('3 to 24 characters');
  });

  test.each(RESERVED_HANDLES)('%s cannot be taken', (handle) => expect(handleFault(handle)).not.toBeNull());

  test('one is made from any name, and is always a good one', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 80 }), fc.nat(2_000_000), (name, attempt) => {
        expect(handleFault(handleFrom(name, attempt))).toBeNull();
      }),
    );
    expect(handleFrom('Odile Fenwright')).toBe('odile_fenwright');
    expect(handleFrom('Zoë Ångström')).toBe('zoe_angstrom');
    expect(handleFrom('Operator')).toBe('operator_1');
    expect(handleFrom('Odile Fenwright', 1)).toBe('odile_fenwright2');
    expect(handleFrom('李')).toBe('user');
  });
});

describe('the first characters', () => {
  test('never cut one in two, and stay within the code points that can be stored', () => {
    const family = '👨‍👩‍👧‍👦';
    expect(firstCharacters(family.repeat(3), 2)).toBe(family.repeat(2));
    expect(firstCharacters('short', 60)).toBe('short');
    expect(countCodePoints(firstCharacters('e' + '\u0301'.repeat(5_000), 60))).toBeLessThanOrEqual(4_000);
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), fc.nat(20), (text, most) => {
        const first = firstCharacters(text, most);
        expect(text.startsWith(first)).toBe(true);
        expect(countCharacters(first)).toBeLessThanOrEqual(most);
      }),
    );
  });
});
