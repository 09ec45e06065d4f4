import { describe, expect, test } from '@jest/globals';
import { CallScope } from './call-scope.js';
import { rowChanges, takeIn } from './told-rows.js';

const isShown = (_table: string, column: string) => column !== 'phrase' && column !== 'pin';
const saidOf = (...groups: string[]) => ({ message: groups.map((group) => `\n${group}`).join('') });
const group = (head: string, ...rows: string[]) => [head, ...rows].join('\r');

describe('what the database says of rows', () => {
  test('is kept as it was said, and made out when somebody looks', () => {
    const said = saidOf(
      group('1\tposts\tINSERT\t{}\t', '\t-\t{"id":1,"body":"a"}', '\t-\t{"id":2,"body":"b"}'),
      group('2\ttallies\tUPDATE\t{mail}\tcount_users', 'mail\t{"n":1}\t{"n":2}', '\t{"n":5}\t{"n":5}'),
    );
    const told = takeIn(said, isShown);
    expect(told).toEqual({
      text: said.message,
      rows: 3,
      counts: [
        { table: 'posts', act: 'inserted', rows: 2 },
        { table: 'tallies', act: 'changed', rows: 1 },
      ],
    });
    // What was written as it was is no change.
    expect(rowChanges(told, 4, true).map(({ table, after, changed, by }) => [table, after, changed, by])).toEqual([
      ['posts', { id: 1, body: 'a' }, [], null],
      ['posts', { id: 2, body: 'b' }, [], null],
      ['tallies', { n: 2 }, ['n', 'mail'], 'function count_users'],
    ]);
    expect(rowChanges(told, 4, true).every(({ statement, undone }) => statement === 4 && undone)).toBe(true);
  });

  test('keeps nothing of a column that nobody said may be kept, changed or not, nor of what is no name of a function', () => {
    const told = takeIn(
      saidOf(
        group('1\tusers\tUPDATE\t{mail}\t', 'mail\t{"id":1,"phrase":"heron"}\t{"id":1,"phrase":"otter"}'),
        group('1\tusers\tUPDATE\t{mail}\t', '\t{"id":2,"pin":"4711"}\t{"id":2,"pin":"4711"}'),
        group(`1\tusers\tDELETE\t{mail}\tf' WHERE phrase = 'heron`, '\t{"id":3,"phrase":"heron"}\t-'),
        group('1\tposts\tINSERT\t{}\tmake_posts', '\t-\t{"id":4}'),
      ),
      isShown,
    );
    expect(JSON.stringify(told)).not.toMatch(/heron|otter|4711/);
    expect(told.rows).toBe(3);
    expect(rowChanges(told, 0, false)).toEqual([
      expect.objectContaining({
        before: { id: 1 },
        after: { id: 1 },
        changed: ['mail', 'phrase'],
        masked: ['mail', 'phrase'],
      }),
      expect.objectContaining({ act: 'deleted', before: { id: 3 }, after: null, by: null, masked: ['mail', 'phrase'] }),
      expect.objectContaining({ act: 'inserted', after: { id: 4 }, by: 'function make_posts', masked: [] }),
    ]);
  });
});

test('a call keeps so many rows, counts those beyond, and leaves out of the counts what was taken back', () => {
  const scope = new CallScope('a', null);
  const rows = (n: number, act = 'INSERT') =>
    takeIn(
      saidOf(group(`1\tposts\t${act}\t{}\t`, ...Array.from({ length: n }, (_, i) => `\t-\t{"id":${i}}`))),
      isShown,
    );
  const [first, second, third] = [{ undone: false }, { undone: false }, { undone: false }];
  scope.tell(rows(150), 0, first);
  scope.tell(rows(90), 1, second);
  scope.tell(rows(30), 2, third);
  scope.tell(rows(12), 2, third);
  expect(scope.rows()).toHaveLength(200);
  expect(scope.moreRows()).toBe(40 + 42);
  expect(scope.counts()).toEqual({ posts: { inserted: 282, changed: 0, deleted: 0 } });
  third.undone = true;
  expect(scope.moreRows()).toBe(40);
  second.undone = true;
  expect(scope.moreRows()).toBe(0);
  expect(scope.counts()).toEqual({ posts: { inserted: 150, changed: 0, deleted: 0 } });
  expect(scope.rows().filter(({ undone }) => undone)).toHaveLength(50);
});
