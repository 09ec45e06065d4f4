/** Scripts that are written without blanks: what follows one of their letters begins a word of its own. */
const WITHOUT_BLANKS = ['Han', 'Hiragana', 'Katakana', 'Thai', 'Lao', 'Khmer', 'Myanmar'];
const UNSPACED = new RegExp(
  `^(?=[\\p{L}\\p{M}])[${WITHOUT_BLANKS.map((script) => `\\p{Script_Extensions=${script}}`).join('')}]$`,
  'u',
);
const MARK = /^\p{M}$/u;
const PICTOGRAPH = /^(?:\p{Extended_Pictographic}|\p{Emoji_Modifier}|\p{Regional_Indicator})$/u;
const IN_A_WORD = /^[\p{L}\p{N}\p{M}\p{Join_Control}_]$/u;
/** Marks that only say how a character is drawn, and those that an emoji of the keyboard is made with. */
const DRAWN_WITH = /^[\p{Variation_Selector}\u20E3]$/u;

/** The character that ends before an index of a text; empty at its beginning. */
export function characterBefore(text: string, index: number): string {
  const low = text.charAt(index - 1);
  return /[\uDC00-\uDFFF]/.test(low) && index > 1 ? text.slice(index - 2, index) : low;
}

/** How many marks may stand on one letter before a text is no text. */
const MOST_MARKS = 8;

/**
 * Whether a word can begin at an index: not within another one. Letters of scripts without blanks do not hold on to what
 * follows them; a pictograph is no part of a word, with whatever it is drawn.
 */
export function beginsAt(text: string, index: number): boolean {
  const before = characterBefore(text, index);
  if (!IN_A_WORD.test(before) || UNSPACED.test(before)) return true;
  if (!DRAWN_WITH.test(before)) {
    if (!MARK.test(before)) return false;
    // A mark belongs to the letter below it.
    const base = baseBefore(text, index);
    return UNSPACED.test(base);
  }
  const base = baseBefore(text, index);
  return PICTOGRAPH.test(base) || UNSPACED.test(base) || (before === '\u20E3' && /^[0-9#*]$/.test(base));
}

function baseBefore(text: string, index: number): string {
  let at = index;
  for (let n = 0; n < MOST_MARKS; n++) {
    const before = characterBefore(text, at);
    if (!MARK.test(before)) return before;
    at -= before.length;
  }
  return '';
}
