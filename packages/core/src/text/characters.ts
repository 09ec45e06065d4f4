import { showsSomething } from './line.js';

const graphemes = new Intl.Segmenter('en', { granularity: 'grapheme' });

/** How many characters a person sees: grapheme clusters (UAX #29), so a family emoji is one. */
export function countCharacters(text: string): number {
  let n = 0;
  for (const _ of graphemes.segment(text)) n++;
  return n;
}

/** The first so many characters of a text, none of them cut in two. */
export function firstCharacters(text: string, most: number): string {
  let [out, n] = ['', 0];
  for (const { segment } of graphemes.segment(text)) {
    if (++n > most || out.length + segment.length > MOST_CODE_POINTS) break;
    out += segment;
  }
  return out;
}

/** How many Unicode code points a text has: what PostgreSQL's `char_length` counts. */
export function countCodePoints(text: string): number {
  let n = 0;
  for (const _ of text) n++;
  return n;
}

/** Limits of a text that people write, in characters as people count them. */
export interface TextLimit {
  readonly min: number;
  readonly max: number;
}

/** No text may have more code points than this, however few characters people see. */
export const MOST_CODE_POINTS = 4_000;

/**
 * What is wrong with a text, as a sentence that names the limit and the actual size,
 * or null when nothing is.
 */
export function textFault(text: string, limit: TextLimit): string | null {
  if (text.includes('\0')) return 'must not contain the NUL character (U+0000): remove it';
  if (!text.isWellFormed()) return 'contains half of a surrogate pair, which is no character: send well-formed Unicode';
  const points = countCodePoints(text);
  if (points > MOST_CODE_POINTS)
    return `may have at most ${MOST_CODE_POINTS} code points, but has ${points}: shorten it`;
  const size = countCharacters(text);
  if (size > limit.max) return `may have at most ${limit.max} characters, but has ${size}: shorten it`;
  if (size < limit.min || (limit.min > 0 && !showsSomething(text)))
    return limit.min === 1
      ? 'must not be empty: write at least 1 character that can be seen'
      : `must have at least ${limit.min} characters, but has ${size}`;
  return null;
}
