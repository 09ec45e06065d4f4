import type { Found } from './read-text.js';

/** What of a text a client draws as more than text: hashtags, mentions of users who are there, links. */
export interface Span {
  readonly kind: 'hashtag' | 'mention' | 'link';
  /** In code points. */
  readonly from: number;
  readonly to: number;
  /** In UTF-16 units, as JavaScript counts. */
  readonly utf16From: number;
  readonly utf16To: number;
  /** Of a hashtag, the form that is compared. */
  readonly hashtag?: string;
  /** Of a mention, the user's id. */
  readonly user?: string;
  /** Of a link, where it leads. */
  readonly url?: string;
}

const KINDS = { h: 'hashtag', m: 'mention', l: 'link' } as const;
const VALUES = { h: 'hashtag', m: 'user', l: 'url' } as const;

/**
 * Spans as they are stored beside a text: kind, the two places in code points, the two in UTF-16 units, and what it is.
 * Three take 176 bytes like this, and 464 as objects.
 */
export type StoredSpan = readonly [kind: keyof typeof KINDS, number, number, number, number, value: string];

/**
 * What was found in a text as it is stored; a handle becomes a mention where it is somebody's, and nothing otherwise.
 * @param users ids by folded handle
 */
export function storeSpans(found: readonly Found[], users: ReadonlyMap<string, string>): StoredSpan[] {
  return found.flatMap((each): StoredSpan[] => {
    const { from, to, utf16From, utf16To } = each;
    if (each.kind === 'hashtag') return [['h', from, to, utf16From, utf16To, each.hashtag]];
    if (each.kind === 'link') return [['l', from, to, utf16From, utf16To, each.url]];
    const user = users.get(each.handle);
    return user === undefined ? [] : [['m', from, to, utf16From, utf16To, user]];
  });
}

/** Whether something is a span as it is stored: hand-written SQL may have put anything there, which must make no list fail. */
export const isStoredSpan = (value: unknown): value is StoredSpan =>
  Array.isArray(value) &&
  value.length === 6 &&
  Object.hasOwn(KINDS, String(value[0])) &&
  value.slice(1, 5).every(Number.isSafeInteger) &&
  typeof value[5] === 'string';

/** Stored spans as clients get them; what is none is left out. */
export const readSpans = (stored: readonly unknown[]): Span[] =>
  stored.filter(isStoredSpan).map(([kind, from, to, utf16From, utf16To, value]) => ({
    kind: KINDS[kind],
    from,
    to,
    utf16From,
    utf16To,
    [VALUES[kind]]: value,
  }));

/** Handles that a text names, folded, each once. */
export const handlesIn = (found: readonly Found[]): string[] => [
  ...new Set(found.flatMap((each) => (each.kind === 'handle' ? [each.handle] : []))),
];

/** Whom a text mentioned, by the handle as it was written there: a link leads to the same user after they took another. */
export function mentionedIn(body: string, stored: readonly unknown[]): Map<string, string> {
  const mentions = stored.filter(isStoredSpan).filter(([kind]) => kind === 'm');
  return new Map(mentions.map(([, , , from, to, user]) => [body.slice(from + 1, to).toLowerCase(), user]));
}

/** The rules of reading; a text that was read by older ones is read again. */
const RULES = 1;

/**
 * By what a text was read: our rules and Unicode's version. Grows with both.
 * @param unicode such as `17.0`
 */
export function readingVersion(unicode: string): number {
  const [major = 0, minor = 0] = unicode.split('.').map(Number);
  return RULES * 10_000 + major * 10 + minor;
}
