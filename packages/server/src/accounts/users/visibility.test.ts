import { describe, expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import * as visibility from './visibility.js';

const { notKeptAway, seenBy } = visibility;
const SOURCES = join(process.cwd(), 'packages/server/src');
const FRAGMENTS = { seenBy, notKeptAway };

/** Every use of the fragments in the service: the alias of the user and of the viewer, as the source writes them. */
const uses = readdirSync(SOURCES, { recursive: true, encoding: 'utf8' })
  .filter((path) => path.endsWith('.ts') && !path.includes('test'))
  .flatMap((path) => [
    ...readFileSync(join(SOURCES, path), 'utf8').matchAll(
      /\$\{(seenBy|notKeptAway)\('(\w+)', (?:'([^']+)'|viewer)\)\}/g,
    ),
  ])
  .map(([, fragment, user, viewer = '$1']) => [fragment as keyof typeof FRAGMENTS, user!, viewer] as const);

describe('the conditions of who sees whom', () => {
  test('are used with aliases that this test finds', () => expect(uses.length).toBeGreaterThanOrEqual(18));

  test.each(uses)('%s of %s and %s names no alias of its own that hides one around it', (fragment, user, viewer) => {
    const sql = FRAGMENTS[fragment](user, viewer);
    const own = [...sql.matchAll(/\b(?:FROM|JOIN) \w+ ("[^"]+"|\w+)/g)].map(([, alias]) => alias!);
    expect(own.length).toBeGreaterThan(0);
    // What is quoted with a colon can be no alias of a statement that is written by hand.
    for (const alias of own) expect(alias).toMatch(/^"seen:\w+"$/);
    expect(own).not.toContain(user);
    expect(own).not.toContain(viewer.split('.')[0]);
  });
});
