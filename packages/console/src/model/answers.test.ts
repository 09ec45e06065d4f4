import { describe, expect, test } from '@jest/globals';
import { isAnswered, needsText, openHazards, suggestion, toRequest, type PlannedChange } from './answers';

const change = (field: string, holds: string | null, ...hazards: [kind: string, open: boolean][]): PlannedChange => ({
  field,
  kind: 'require',
  holds,
  sentence: '',
  hazards: hazards.map(([kind, open]) => ({ kind, open, sentence: '', rows: 1, examples: [], ways: [], safely: null })),
  faults: [],
  steps: [],
  waitsFor: [],
});
const required = change('users.mooring', 'string', ['rows-without-value', true], ['rows-unproved', false]);
const counted = change('posts.lockNumber', 'integer', ['values-do-not-fit', true]);
const dropped = change('posts.gone', null, ['data-lost', true]);

describe('choices', () => {
  test('a way out says whether something is to be typed, and what it suggests', () => {
    expect(['{ constant: … }', '{ column: handle }', '{ make: place }', 'clear'].map(needsText)).toEqual([
      'constant',
      'column',
      'make',
      null,
    ]);
    expect(['{ constant: … }', '{ column: … }', '{ make: place }', '{ constant: 1 }'].map(suggestion)).toEqual([
      '',
      '',
      'place',
      '1',
    ]);
  });

  test('are asked for where somebody has to choose, and only there', () => {
    expect(openHazards([required, counted]).map(({ hazard }) => hazard.kind)).toEqual([
      'rows-without-value',
      'values-do-not-fit',
    ]);
  });

  test('are complete once each open hazard has a way out, with all that it needs', () => {
    const changes = [required, counted];
    expect(isAnswered(changes, {})).toBe(false);
    const typed = {
      'users.mooring rows-without-value': { way: '{ constant: … }', text: '' },
      'posts.lockNumber values-do-not-fit': { way: 'clear', text: '' },
    };
    expect(isAnswered(changes, typed)).toBe(false);
    expect(
      isAnswered(changes, { ...typed, 'users.mooring rows-without-value': { way: '{ constant: … }', text: 'x' } }),
    ).toBe(true);
    expect(isAnswered([], {})).toBe(true);
  });

  test('become answers of the field’s own type, and leave to drop', () => {
    const request = toRequest([required, counted, dropped], {
      'users.mooring rows-without-value': { way: '{ constant: … }', text: '12' },
      'posts.lockNumber values-do-not-fit': { way: '{ constant: 1 }', text: '12' },
      'posts.gone data-lost': { way: 'drop', text: '' },
    });
    expect(request).toEqual({
      answers: {
        'users.mooring': { 'rows-without-value': { constant: '12' } },
        'posts.lockNumber': { 'values-do-not-fit': { constant: 12 } },
      },
      drop: ['posts.gone'],
    });
    const made = toRequest([required], {
      'users.mooring rows-without-value': { way: '{ make: place }', text: 'place' },
    });
    expect(made.answers).toEqual({ 'users.mooring': { 'rows-without-value': { make: 'place' } } });
    expect(
      toRequest([counted], { 'posts.lockNumber values-do-not-fit': { way: 'nearest', text: '' } }).answers,
    ).toEqual({
      'posts.lockNumber': { 'values-do-not-fit': 'nearest' },
    });
  });
});
