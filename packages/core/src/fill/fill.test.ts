import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { handleFault } from '../text/handle.js';
import { Chance, drawInstant, HeavyTail } from './chance.js';
import { Fill, type Batch, type Authors, type FillRequest } from './fill.js';

const now = Date.UTC(2026, 10, 23, 9);
const request: FillRequest = {
  users: 3_000,
  posts: 9_000,
  follows: 40_000,
  comments: 9_000,
  reactions: 27_000,
  kinds: ['like', 'dislike'],
  days: 30,
  seed: 7,
  run: 3,
  now,
};
const nobody: Authors = { size: 0, idAt: () => '' };
const all = (fill: Fill): Batch[] => Array.from({ length: fill.batches }, (_, i) => fill.batch(i));
const rowsOf = (batches: Batch[], table: string) =>
  batches
    .flat()
    .filter((part) => part.table === table)
    .flatMap((part) => part.rows);

const made = all(new Fill(request, nobody));

describe('a fill', () => {
  test('is the same for the same seed, batch by batch and in any order', () => {
    const again = new Fill(request, nobody);
    for (const index of [again.batches - 1, 0, 2]) expect(again.batch(index)).toEqual(made[index]);
    expect(new Fill({ ...request, seed: 8 }, nobody).batch(0)).not.toEqual(made[0]);
  });

  test('makes as many users and posts as asked, and about as many follows and comments', () => {
    expect(rowsOf(made, 'users')).toHaveLength(3_000);
    expect(rowsOf(made, 'credentials')).toHaveLength(3_000);
    expect(rowsOf(made, 'posts')).toHaveLength(9_000);
    for (const [table, wanted] of [
      ['follows', 40_000],
      ['comments', 9_000],
      ['reactions', 27_000],
    ] as const) {
      expect(rowsOf(made, table).length).toBeGreaterThan(wanted * 0.75);
      expect(rowsOf(made, table).length).toBeLessThan(wanted * 1.25);
    }
  });

  test('handles and e-mails are good and unique, also among those of another run', () => {
    const other = all(new Fill({ ...request, run: 4, posts: 0, follows: 0 }, nobody));
    const handles = [...rowsOf(made, 'users'), ...rowsOf(other, 'users')].map((row) => String(row[1]));
    expect(new Set(handles).size).toBe(6_000);
    expect(handles.map(handleFault).filter(Boolean)).toEqual([]);
    expect(new Set([...rowsOf(made, 'credentials'), ...rowsOf(other, 'credentials')].map((row) => row[1])).size).toBe(
      6_000,
    );
    const far = new Fill({ ...request, run: 46_655, users: 1, posts: 0, follows: 0 }, nobody);
    expect(handleFault(String(far.batch(0)[0]!.rows[0]![1]))).toBeNull();
  });

  test('nobody follows themselves or twice, every reference is to somebody made, and nothing is in the future', () => {
    const users = new Map(rowsOf(made, 'users').map((row) => [row[0], Number(row[4])]));
    const follows = rowsOf(made, 'follows');
    expect(new Set(follows.map((row) => `${row[0]}>${row[1]}`)).size).toBe(follows.length);
    const early = follows.filter(
      ([follower, followee, at]) => !(Number(at) >= Math.max(users.get(follower!)!, users.get(followee!)!)),
    );
    expect([follows.filter(([follower, followee]) => follower === followee), early]).toEqual([[], []]);
    const posts = new Map(rowsOf(made, 'posts').map((row) => [row[0], Number(row[3])]));
    expect(rowsOf(made, 'posts').filter((row) => !users.has(row[1]!))).toEqual([]);
    expect(rowsOf(made, 'comments').filter((row) => !(Number(row[4]) > posts.get(row[1]!)!))).toEqual([]);
    const reactions = rowsOf(made, 'reactions');
    expect(new Set(reactions.map((row) => `${row[1]} on ${row[0]}`)).size).toBe(reactions.length);
    expect(reactions.filter((row) => !users.has(row[1]!))).toEqual([]);
    const likes = reactions.filter((row) => row[2] === 'like').length / reactions.length;
    expect(likes).toBeGreaterThan(0.8);
    expect(likes).toBeLessThan(0.9);
    const comments = new Set(rowsOf(made, 'comments').map((row) => row[0]));
    expect(rowsOf(made, 'comment_reactions').length).toBeGreaterThan(500);
    expect(rowsOf(made, 'comment_reactions').filter((row) => !comments.has(row[0]!))).toEqual([]);
    const instants = [
      ...reactions.map((row) => Number(row[3])),
      ...users.values(),
      ...posts.values(),
      ...follows.map((row) => Number(row[2])),
      ...rowsOf(made, 'comments').map((row) => Number(row[4])),
    ];
    expect(Math.max(...instants)).toBeLessThan(now);
    expect(Math.min(...posts.values())).toBeGreaterThan(now - 32 * 86_400_000);
  });

  test('popularity and activity are heavy-tailed, and are not the same people', () => {
    const count = (table: string, column: number) => {
      const counts = new Map<unknown, number>();
      for (const row of rowsOf(made, table)) counts.set(row[column], (counts.get(row[column]) ?? 0) + 1);
      return [...counts].sort((a, b) => b[1] - a[1]);
    };
    const followed = count('follows', 1);
    const top = followed.slice(0, 30).reduce((sum, [, n]) => sum + n, 0);
    // One user in a hundred has more than a tenth of all followers.
    expect(top).toBeGreaterThan(rowsOf(made, 'follows').length * 0.1);
    expect(count('posts', 1)[0]![0]).not.toBe(followed[0]![0]);
  });

  test('lets those who are there post, and refuses when there is nobody', () => {
    const there: Authors = { size: 2, idAt: (index) => `id ${index}` };
    const posts = rowsOf(all(new Fill({ ...request, users: 0, follows: 0, posts: 50 }, there)), 'posts');
    expect(new Set(posts.map((row) => row[1]))).toEqual(new Set(['id 0', 'id 1']));
    expect(() => new Fill({ ...request, users: 0 }, nobody)).toThrow('nobody who could post');
  });

  test('an empty order makes nothing', () => {
    expect(new Fill({ ...request, users: 0, posts: 0, follows: 0, comments: 0, reactions: 0 }, nobody).batches).toBe(0);
  });
});

describe('chance', () => {
  test('a heavy tail draws only what is there, and its ranks visit everybody once', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 400 }), fc.nat(20), fc.nat(), (size, salt, seed) => {
        const tail = new HeavyTail(size, 0.8, salt);
        expect(new Set(Array.from({ length: size }, (_, rank) => tail.at(rank))).size).toBe(size);
        const drawn = tail.draw(new Chance(seed));
        expect(drawn).toBeGreaterThanOrEqual(0);
        expect(drawn).toBeLessThan(size);
      }),
    );
  });

  test('an instant lies within the days before now', () => {
    fc.assert(
      fc.property(fc.nat(), fc.integer({ min: 1, max: 400 }), (seed, days) => {
        const at = drawInstant(new Chance(seed), now, days);
        expect(at).toBeLessThan(now);
        expect(at).toBeGreaterThan(now - (days + 1) * 86_400_000);
      }),
    );
  });
});
