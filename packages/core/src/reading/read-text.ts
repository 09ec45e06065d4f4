import { foldHandle, HANDLE_PATTERN } from '../text/handle.js';
import { foldHashtag, HASH, HASHTAG_BODY } from './hashtag.js';
import { linkAt, reachOf, SCHEME } from './link.js';
import { beginsAt, characterBefore } from './neighbours.js';

/** So many of each kind count in one text; the rest stays plain. */
export const MOST_OF_A_KIND = 20;

/** What of a text is more than text, from one place to another: in code points and in UTF-16 units. */
interface Place {
  readonly from: number;
  readonly to: number;
  readonly utf16From: number;
  readonly utf16To: number;
}

/** A word that posts gather under, in the form that is compared. */
export interface HashtagFound extends Place {
  readonly kind: 'hashtag';
  readonly hashtag: string;
}
/** Somebody's handle, folded: whether there is such a user is not told by the text. */
export interface HandleFound extends Place {
  readonly kind: 'handle';
  readonly handle: string;
}
/** A link, with the address that it leads to. */
export interface LinkFound extends Place {
  readonly kind: 'link';
  readonly url: string;
}
/** Something found in a text. */
export type Found = HashtagFound | HandleFound | LinkFound;

const HANDLE = '[A-Za-z][A-Za-z0-9_]*';
/**
 * Whatever may begin something: looked for in one pass. In no case but as written: with the flag for any case, ι would be the
 * mark that Unicode folds to it.
 */
const BEGINNING = new RegExp(
  `(?<link>${SCHEME})|${HASH}(?<hashtag>${HASHTAG_BODY})|[@\uFF20](?<handle>${HANDLE})(?![\\p{L}\\p{M}\\p{N}@\uFF20]|\\.\\p{L})`,
  'gu',
);
/** What a hashtag or a mention does not follow, besides what is part of a word. */
const BOUND_BEFORE = new Set(['&', '/', '#', '\uFF03', '@', '\uFF20']);
/** So many places of addresses are looked at in one text, links or not. */
const MOST_ADDRESSES = 200;
const TRAILING = /[\p{Default_Ignorable_Code_Point}]+$/u;

/**
 * Hashtags, handles and links of a text, and nothing else, in one pass: in their order, none over another. The time that it
 * takes grows with the length of the text and no faster.
 */
export function readText(body: string): Found[] {
  const found: Found[] = [];
  const count = { hashtag: 0, handle: 0, link: 0 };
  const points = codePointsOf(body);
  let addresses = 0;
  const add = <K extends Found['kind']>(kind: K, utf16From: number, utf16To: number, more: object) => {
    if (count[kind]++ >= MOST_OF_A_KIND) return;
    const place = { from: points(utf16From), to: points(utf16To), utf16From, utf16To };
    found.push({ kind, ...place, ...more } as Found);
  };
  BEGINNING.lastIndex = 0;
  for (let match = BEGINNING.exec(body); match; match = BEGINNING.exec(body)) {
    const { index, groups = {} } = match;
    const [sign] = match;
    if (groups.link !== undefined) {
      if (!beginsAt(body, index)) continue;
      const link = count.link < MOST_OF_A_KIND && addresses++ < MOST_ADDRESSES ? linkAt(body, index) : null;
      // What stands in something like an address is no hashtag and no mention, link or not.
      BEGINNING.lastIndex = index + Math.max(sign.length, link?.length ?? reachOf(body, index));
      if (link) add('link', index, index + link.length, { url: link.url });
    } else if (!beginsAt(body, index) || BOUND_BEFORE.has(characterBefore(body, index))) {
      // Its sign alone is passed over: what follows may begin something of its own.
      BEGINNING.lastIndex = index + 1;
    } else if (groups.hashtag !== undefined) {
      const written = groups.hashtag.replace(TRAILING, '');
      const hashtag = count.hashtag < MOST_OF_A_KIND ? foldHashtag(written) : null;
      if (hashtag !== null) add('hashtag', index, index + 1 + written.length, { hashtag });
    } else {
      const handle = foldHandle(groups.handle!);
      if (HANDLE_PATTERN.test(handle)) add('handle', index, index + sign.length, { handle });
    }
  }
  return found;
}

/** Says at which code point a UTF-16 unit of a text stands, for places that are asked for in their order. */
function codePointsOf(text: string): (utf16: number) => number {
  let [unit, point] = [0, 0];
  return (utf16) => {
    for (; unit < utf16; point++) unit += text.codePointAt(unit)! > 0xffff ? 2 : 1;
    return point;
  };
}
