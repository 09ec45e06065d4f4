import { describe, expect, test } from '@jest/globals';
import { readModel, type ModelSource } from '@gather-lane/core';
import { profileOf as read, signInWarnings, type ClaimNames } from './claims.js';

const profileOf = (claims: Record<string, unknown>, names: ClaimNames = {}, source: ModelSource = {}) =>
  read(claims, { names, key: 'signIn.issuers[].claims' }, readModel(source).model);

describe('a profile out of verified claims', () => {
  test('has the names of OpenID Connect unless others are configured', () => {
    const claims = {
      name: ' Ned Alder ',
      preferred_username: 'ned',
      picture: 'https://app.example/ned.jpg',
      nick: 'n',
    };
    expect(profileOf(claims)).toEqual({
      name: 'Ned Alder',
      handle: 'ned',
      picture: 'https://app.example/ned.jpg',
      fields: {},
    });
    expect(profileOf({ full: 'Ned', ...claims }, { name: 'full', handle: 'nick', picture: 'none' })).toEqual({
      name: 'Ned',
      handle: 'n',
      picture: null,
      fields: {},
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

describe('fields of one’s own', () => {
  const source: ModelSource = {
    users: { fields: { mooring: { type: 'string', required: true, maxLength: 10 }, locks: { type: 'integer' } } },
  };
  const mapped = (mooring: { claim: string; default?: unknown }): ClaimNames => ({
    fields: { mooring, locks: { claim: 'locks' } },
  });

  test('are made from the claims that are mapped to them', () => {
    const claims = { berth: 'Aldwick', locks: 21 };
    expect(profileOf(claims, mapped({ claim: 'berth' }), source).fields).toEqual({ mooring: 'Aldwick', locks: 21 });
    expect(profileOf({ ...claims, locks: 'many' }, mapped({ claim: 'berth' }), source).fields).toEqual({
      mooring: 'Aldwick',
    });
  });

  test('a required one takes the default of its mapping where the claim is missing or does not fit', () => {
    const names = mapped({ claim: 'berth', default: 'none yet' });
    for (const berth of [undefined, null, 7, 'longer than ten letters'])
      expect(profileOf({ berth }, names, source).fields).toEqual({ mooring: 'none yet' });
  });

  test('without either, what is missing is said, and where it is mapped', () => {
    const missing = () => profileOf({}, mapped({ claim: 'berth' }), source);
    expect(missing).toThrow(/the claim "berth" is not there.*signIn\.issuers\[\]\.claims\.fields\.mooring/);
    expect(() => profileOf({ berth: 7 }, mapped({ claim: 'berth' }), source)).toThrow(/"berth" does not fit/);
    expect(() => profileOf({ berth: 'Aldwick' }, {}, source)).toThrow(/no claim is mapped to it/);
  });

  test('a model warns of each issuer and provider that has no mapping for a required one', () => {
    const { model } = readModel(source);
    const sources = {
      providers: [{ name: 'lock-house', claims: mapped({ claim: 'berth' }) }],
      issuers: [{ issuer: 'https://app.example' }],
    };
    expect(signInWarnings(model, sources)).toEqual([expect.stringMatching(/users\.mooring.*https:\/\/app\.example/)]);
  });
});
