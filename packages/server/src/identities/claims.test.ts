import { describe, expect, test } from '@jest/globals';
import { profileOf } from './claims.js';

describe('a profile out of verified claims', () => {
  test('has the names of OpenID Connect unless others are configured', () => {
    const claims = {
      name: ' Ned Alder ',
      preferred_username: 'ned',
      picture: 'https://app.example/ned.jpg',
      nick: 'n',
    };
    expect(profileOf(claims)).toEqual({ name: 'Ned Alder', handle: 'ned', picture: 'https://app.example/ned.jpg' });
    expect(profileOf({ full: 'Ned', ...claims }, { name: 'full', handle: 'nick', picture: 'none' })).toEqual({
      name: 'Ned',
      handle: 'n',
      picture: null,
    });
  });

  test.each([
    ['a number', 7],
    ['nothing but space', '  '],
    ['an object', { toString: () => 'x' }],
    ['null', null],
  ])('%s is no name', (_, name) => expect(profileOf({ name })).toMatchObject({ name: null }));

  test.each([
    'javascript:alert(1)',
    'data:image/png;base64,AAAA',
    '//app.example/a.jpg',
    'https://',
    `https://app.example/${'x'.repeat(2_000)}`,
  ])('%s is no picture', (picture) => expect(profileOf({ picture }).picture).toBeNull());
});
