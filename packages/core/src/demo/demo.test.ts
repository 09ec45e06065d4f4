import { describe, expect, test } from '@jest/globals';
import { handleFault } from '../text/handle.js';
import { makeDemo } from './demo.js';
import { makeLandscape } from './landscapes.js';

const now = Date.UTC(2026, 10, 23, 7, 11);
const demo = makeDemo(now);

describe('the Wherry Cut', () => {
  test('is the same every time, whenever it is made: only the instants move', () => {
    const later = makeDemo(now + 5 * 3_600_000 + 123);
    const plain = (d: typeof demo) => [
      d.posts.map((p) => p.body),
      d.comments.map((c) => c.body),
      d.users.map((u) => u.bio),
      d.follows.length,
    ];
    expect(plain(later)).toEqual(plain(demo));
    expect(later.posts.map((p, i) => p.createdAt - demo.posts[i]!.createdAt)).toEqual(
      demo.posts.map(() => 5 * 3_600_000 + 123),
    );
    expect(makeDemo(now)).toEqual(demo);
  });

  test('has sixty people with good handles, 900 posts of thirty days, and a conversation', () => {
    expect(demo.users).toHaveLength(60);
    expect(new Set(demo.users.map((u) => u.handle)).size).toBe(60);
    expect(demo.users.map((u) => handleFault(u.handle)).filter(Boolean)).toEqual([]);
    expect(demo.posts).toHaveLength(900);
    expect(Math.min(...demo.posts.map((p) => p.createdAt))).toBeGreaterThan(now - 31 * 86_400_000);
    expect(demo.comments.length).toBeGreaterThan(1_000);
    expect(demo.posts.some((p) => /[{}]/.test(p.body))).toBe(false);
  });

  test('odile follows 24, bram is the most followed, wren follows nobody and nobody follows wren', () => {
    const id = Object.fromEntries(demo.users.map((u) => [u.handle, u.id]));
    const followers = (user: string | undefined) => demo.follows.filter((f) => f.followeeId === user).length;
    expect(demo.follows.filter((f) => f.followerId === id.odile)).toHaveLength(24);
    expect(demo.follows.filter((f) => f.followerId === id.wren || f.followeeId === id.wren)).toEqual([]);
    expect(Math.max(...demo.users.map((u) => followers(u.id)))).toBe(followers(id.bram));
  });

  test('nothing is in the future, nobody follows themselves or twice, and answers come after what they answer', () => {
    const rows = [...demo.users, ...demo.follows, ...demo.posts, ...demo.comments];
    expect(rows.filter((row) => row.createdAt > now)).toEqual([]);
    expect(demo.follows.filter((f) => f.followerId === f.followeeId)).toEqual([]);
    expect(new Set(demo.follows.map((f) => f.followerId + f.followeeId)).size).toBe(demo.follows.length);
    const posts = new Map(demo.posts.map((p) => [p.id, p]));
    const comments = new Map(demo.comments.map((c) => [c.id, c]));
    for (const comment of demo.comments) {
      expect(comment.createdAt).toBeGreaterThan(posts.get(comment.postId)!.createdAt);
      if (comment.parentId) expect(comments.get(comment.parentId)).toMatchObject({ postId: comment.postId });
    }
  });
});

describe('landscapes', () => {
  test('are the same for the same seed, others for others, and say what they show', () => {
    expect(makeLandscape(3)).toEqual(makeLandscape(3));
    const all = Array.from({ length: 16 }, (_, seed) => makeLandscape(seed));
    expect(new Set(all.map(({ svg }) => svg)).size).toBe(16);
    expect(new Set(all.map(({ alt }) => alt)).size).toBe(16);
    for (const { svg, alt } of all) {
      expect(svg).toMatch(/^<svg [^>]+width="\d+" height="\d+">[^]*<\/svg>$/);
      expect(svg).not.toMatch(/NaN|undefined/);
      expect(alt).toMatch(/^A |^Reeds/);
    }
  });
});
