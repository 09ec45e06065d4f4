import { describe, expect, test } from '@jest/globals';
import { AnswersFault, readAnswers } from './answers.js';

describe('an answers file', () => {
  test('is YAML or JSON, by field and hazard', () => {
    const yaml = `users.mooring:\n  rows-without-value: { constant: "it's" }\nposts.lockNumber: { values-do-not-fit: nearest, values-repeat: keep-first }\n`;
    expect(readAnswers(yaml, 'a.yaml')).toEqual({
      'users.mooring': { 'rows-without-value': { constant: `it's` } },
      'posts.lockNumber': { 'values-do-not-fit': 'nearest', 'values-repeat': 'keep-first' },
    });
    expect(readAnswers('{"users.a":{"orphans":"clear"}}', 'a.json')).toEqual({ 'users.a': { orphans: 'clear' } });
    expect(readAnswers('', 'a.yaml')).toEqual({});
  });

  test.each<[string, string, string]>([
    ['what is no YAML', 'a: [', 'a.yaml: '],
    ['an unknown hazard', 'users.a: { rows-missing: clear }', 'a.yaml, users.a: there is no hazard "rows-missing"'],
    [
      'an unknown answer',
      'users.a: { orphans: burn }',
      'a.yaml, users.a, orphans: write clear, nearest, number or keep-first',
    ],
    ['two ways at once', 'users.a: { orphans: { constant: 1, make: place } }', 'a.yaml, users.a, orphans: write clear'],
    ['leave to lose data', 'users.a: { data-lost: drop }', 'there is no hazard "data-lost"'],
    ['a list', '[1]', 'a.yaml, the file: '],
  ])('with %s is refused with its place', (_, text, said) => {
    expect(() => readAnswers(text, 'a.yaml')).toThrow(AnswersFault);
    expect(() => readAnswers(text, 'a.yaml')).toThrow(said);
  });
});
