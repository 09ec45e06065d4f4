import type { Post } from '@gather-lane/client';
import colors from 'picocolors';
import { harmless } from './output.js';

const PAINTED = { hashtag: colors.cyan, mention: colors.magenta, link: colors.underline } as const;

/** A text as a terminal may show it, with what it names in colours where there are any. */
export function painted({ body, spans }: Pick<Post, 'body' | 'spans'>): string {
  let [out, at] = ['', 0];
  for (const { kind, utf16From, utf16To } of spans) {
    out += harmless(body.slice(at, utf16From)) + PAINTED[kind](harmless(body.slice(utf16From, utf16To)));
    at = utf16To;
  }
  return out + harmless(body.slice(at));
}
