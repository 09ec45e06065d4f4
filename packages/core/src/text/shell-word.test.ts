import { execFileSync } from 'node:child_process';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { inShellQuotes, shellWord } from './shell-word.js';

test('a shell reads each text as it is, and plain ones need no quotes', () => {
  expect(['/var/lib/a-b_c.d', 'https://here.example/a?b'].map(shellWord)).toEqual([
    '/var/lib/a-b_c.d',
    `'https://here.example/a?b'`,
  ]);
  // No argument of a program can hold a NUL.
  const texts = fc.sample(fc.string({ unit: fc.constantFrom(...`'"\\$\`!~*?; \n%=aé`) }), { numRuns: 100, seed: 1 });
  for (const quote of [inShellQuotes, shellWord]) {
    const said = execFileSync('sh', ['-c', `printf '%s\\0' ${texts.map(quote).join(' ')}`], { encoding: 'utf8' });
    expect(said.split('\0').slice(0, -1)).toEqual(texts);
  }
});
