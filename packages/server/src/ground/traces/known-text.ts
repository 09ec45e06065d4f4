import { whoseStatement } from './whose-statement.js';

/** What a statement does to the transaction that it is sent in. */
export type Control = 'begins' | 'commits' | 'rolls back' | 'rolls back to' | 'saves';

/** The text of a statement, and what is known by it alone. */
export interface KnownText {
  readonly text: string;
  /** As it is kept. */
  readonly shown: string;
  /** Null for what neither begins nor ends a transaction, or a part of one. */
  readonly control: Control | null;
  readonly capability: string | null;
}

/** Longer statements are shortened. */
const LONGEST = 8_000;
const CONTROLS: readonly (readonly [Control, RegExp])[] = [
  ['begins', /^\s*(?:BEGIN|START TRANSACTION)/i],
  ['commits', /^\s*(?:COMMIT|END)\b/i],
  ['rolls back to', /^\s*ROLLBACK\s+TO\s+\S/i],
  ['rolls back', /^\s*ROLLBACK\b/i],
  ['saves', /^\s*SAVEPOINT\s+\S/i],
];

/** As texts stand in one place of the code each, they are few; those that are written anew for each call are not kept. */
const KNOWN = new Map<string, KnownText>();
const MOST_KNOWN = 5_000;

/** What is known of a statement by its text, made out once for each: by whoever sends it, whose code is on the stack then. */
export function knownText(text: string): KnownText {
  const known = KNOWN.get(text);
  if (known) return known;
  const control = CONTROLS.find(([, says]) => says.test(text))?.[0] ?? null;
  const shown = text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text;
  const made = { text, shown, control, capability: whoseStatement(text) };
  if (KNOWN.size < MOST_KNOWN) KNOWN.set(text, made);
  return made;
}
