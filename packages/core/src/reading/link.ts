import { LinkifyIt } from 'linkify-it';
import { normalAddress } from '../text/address.js';

const linkify = new LinkifyIt();

/** Where a link may begin. */
export const SCHEME = '[Hh][Tt][Tt][Pp][Ss]?:\\/\\/';

/**
 * Where a link ends at the latest: blanks and controls, what quotes and angle brackets hold, marks that turn the direction of
 * writing, and the stops and brackets of scripts that are written without blanks.
 */
const END =
  /[\s\p{Cc}<>"\u061C\u200E\u200F\u202A-\u202E\u2066-\u2069、。，．｡､！？；：（）「」『』【】《》〈〉〔〕［］｛｝]/u;
/** Who is named before the host leads readers astray. */
const NAMES_USER = /^https?:\/\/[^/?#]*@/i;
/** No address has more characters, so no more are looked at. */
const LONGEST = 2_000;

/** A link: how many UTF-16 units of the text it is, and where it leads. */
export interface ReadLink {
  readonly length: number;
  readonly url: string;
}

/** How far what looks like an address goes, whether it is one or not. */
export function reachOf(text: string, index: number): number {
  const slice = text.slice(index, index + LONGEST);
  const end = slice.search(END);
  return end === -1 ? slice.length : end;
}

/**
 * The link at a place where `http://` or `https://` stands. The package is asked about what stands up to the next blank alone:
 * its reading of a whole text takes time by the square of its length.
 * @returns null where it is none, such as one that names a user before its host
 */
export function linkAt(text: string, index: number): ReadLink | null {
  const candidate = text.slice(index, index + reachOf(text, index)).toWellFormed();
  const colon = candidate.indexOf(':') + 1;
  if (NAMES_USER.test(candidate)) return null;
  const length = linkify.testSchemaAt(candidate, candidate.slice(0, colon).toLowerCase(), colon);
  if (!length) return null;
  const url = normalAddress(candidate.slice(0, colon + length));
  return url === null ? null : { length: colon + length, url };
}
