/**
 * Format characters that scripts write with: marks that stand before a number (Arabic, Syriac, Kaithi). Unicode calls them
 * Prepended_Concatenation_Mark, which patterns here do not know by name.
 */
const PREPENDED = /[\u0600-\u0605\u06DD\u070F\u0890\u0891\u08E2\u{110BD}\u{110CD}]/u;
/** A joiner between two characters that it may join: letters with their marks, or pictographs. */
const JOINED =
  /(?<=[\p{L}\p{M}\p{Extended_Pictographic}\p{Emoji_Modifier}\uFE0F])[\u200C\u200D](?=[\p{L}\p{M}\p{Extended_Pictographic}])/gu;
/** Flags of regions are written with tags behind a black flag. */
const REGION_FLAG = /\u{1F3F4}[\u{E0020}-\u{E007E}]+\u{E007F}/gu;
const HIDDEN = /[\p{Cc}\p{Cf}\u2028\u2029]/u;
/** Something to see: neither a blank nor one of those that are drawn as nothing. */
const SEEN = /[^\s\p{Default_Ignorable_Code_Point}\p{M}\u2800]/u;

const withoutAllowed = (text: string): string =>
  text.replace(JOINED, '').replace(REGION_FLAG, '').replace(new RegExp(PREPENDED, 'gu'), '');

/** Whether a text has anything to see in it. */
export const showsSomething = (text: string): boolean => SEEN.test(text);

/**
 * What is wrong with a text of one line, such as a name: characters that are not seen but change what is (controls, line
 * breaks, direction overrides, blanks of no width), or nothing to see at all. Joiners are taken where scripts need them.
 * @returns a sentence without its subject, or null
 */
export function lineFault(text: string): string | null {
  const hidden = HIDDEN.exec(withoutAllowed(text))?.[0];
  if (hidden !== undefined) {
    const point = hidden.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0');
    return `holds a character that is not seen (U+${point}): remove it`;
  }
  return showsSomething(text) ? null : 'shows nothing: write at least 1 character that can be seen';
}

/** A text without what `lineFault` would refuse, with single blanks; empty when nothing is left to see. */
export function toLine(text: string): string {
  const kept = new Set([...text.matchAll(JOINED)].map(({ index }) => index));
  const flags = [...text.matchAll(REGION_FLAG)].map(({ index, 0: flag }) => [index, index + flag.length] as const);
  let [out, at] = ['', 0];
  for (const c of text.toWellFormed()) {
    const free = kept.has(at) || PREPENDED.test(c) || flags.some(([from, to]) => at >= from && at < to);
    out += !HIDDEN.test(c) || free ? c : /[\t\n\v\f\r\u0085\u2028\u2029]/.test(c) ? ' ' : '';
    at += c.length;
  }
  const line = out.replace(/\s+/g, ' ').trim();
  return lineFault(line) === null ? line : '';
}
