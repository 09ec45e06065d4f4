/** A hashtag has at most so many code points once it is folded. */
export const LONGEST_HASHTAG = 50;

/** `#` and its full-width form. */
export const HASH = '[#\uFF03]';

/**
 * What a hashtag goes on with: XID_Continue, as UAX #31 (R8) has it, and the joiners that scripts write with. The dots between
 * Katakana words came to XID_Continue with a later Unicode and separate words; the pictographs of R8 and the signs that
 * their names are written with (- and +) are none of ours. The first character is no mark: it would stand on the sign.
 */
export const HASHTAG_BODY = `(?!\\p{M})(?:(?![\u30FB\uFF65])[\\p{XID_Continue}\\p{Join_Control}])+`;

const WHOLE = new RegExp(`^${HASHTAG_BODY}$`, 'u');
const LETTER = /\p{L}/u;
const IGNORABLE = /\p{Default_Ignorable_Code_Point}/gu;
/** Marks on letters of alphabets whose words are the same without them. */
const ACCENTS = /(?<=[\p{Script=Latin}\p{Script=Greek}\p{Script=Cyrillic}]\p{M}*)\p{M}/gu;
/** A letter of its own, though it is written as another one with a mark. */
const SHORT_I = /и\u0306/gu;
/** A place for it that no text has, while marks are taken off: a noncharacter. */
const SHORT_I_KEPT = '\uFDD0';
/** Vowel marks and signs for recitation, and tatweel; madda and hamza make other letters, and stay. */
const ARABIC_MARKS =
  /\u0640|[\u0610-\u061A\u064B-\u0652\u0656-\u065F\u0670\u06D6-\u06DC\u06DF-\u06E4\u06E7\u06E8\u06EA-\u06ED\u08D3-\u08E1\u08E3-\u08FF]/gu;
const HEBREW_MARKS = /[\u0591-\u05BD\u05BF\u05C1\u05C2\u05C4\u05C5\u05C7]/gu;

/**
 * Full case folding, letter by letter: to small letters, to capitals, which writes ß and ligatures out, and back. Only
 * ı would become another letter on that way.
 */
const foldCase = (text: string): string =>
  [...text].map((c) => (c === 'ı' ? c : c.toLowerCase().toUpperCase().toLowerCase().replaceAll('ς', 'σ'))).join('');

const foldOnce = (text: string): string =>
  foldCase(text)
    .normalize('NFKD')
    .replace(IGNORABLE, '')
    .replace(SHORT_I, SHORT_I_KEPT)
    .replace(ACCENTS, '')
    .replace(ARABIC_MARKS, '')
    .replace(HEBREW_MARKS, '')
    .replaceAll(SHORT_I_KEPT, 'и\u0306')
    .normalize('NFC');

/** Longer than this no text folds to a hashtag. */
const LONGEST_WRITTEN = 400;
const MOST_ROUNDS = 4;

/**
 * The form by which hashtags are compared: the same whatever their case, accents, vowel marks and joiners. What it gives
 * reads as one hashtag, itself.
 * @param text without its sign
 * @returns null for what is no hashtag
 */
export function foldHashtag(text: string): string | null {
  if (text.length > LONGEST_WRITTEN || !text.isWellFormed()) return null;
  let folded = foldOnce(text);
  for (let round = 0, next = foldOnce(folded); next !== folded; next = foldOnce(folded)) {
    if (++round > MOST_ROUNDS) return null;
    folded = next;
  }
  return WHOLE.test(folded) && LETTER.test(folded) && [...folded].length <= LONGEST_HASHTAG ? folded : null;
}

/** The beginning of hashtags as somebody types it, with its sign or without, folded; empty where nothing is to be compared. */
export const foldHashtagPrefix = (text: string): string =>
  text.isWellFormed()
    ? foldOnce(foldOnce(text.slice(0, LONGEST_HASHTAG).replace(new RegExp(`^${HASH}`, 'u'), '')))
    : '';

/** A hashtag as somebody asks for it, with or without its sign. @returns null for what is none */
export function hashtagNamed(text: string): string | null {
  const name = text.replace(new RegExp(`^${HASH}`, 'u'), '');
  return WHOLE.test(name) ? foldHashtag(name) : null;
}
