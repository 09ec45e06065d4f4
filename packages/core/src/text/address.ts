const LONGEST = 2_000;
/** What RFC 3986 leaves for a path, a query or a fragment, with the beginning of an escape. */
const OTHERS = /[^A-Za-z0-9\-._~:/?#@!$&'()*+,;=%]|%(?![0-9A-Fa-f]{2})/g;

/**
 * An address of the web as RFC 3986 writes it: the host in ASCII, everything that has no place there escaped.
 * @returns null for what is no http address, names a user, or is longer than 2,000 characters
 */
export function normalAddress(text: string): string | null {
  const trimmed = text.trim();
  if (!/^https?:\/\//i.test(trimmed) || !trimmed.isWellFormed() || !URL.canParse(trimmed)) return null;
  const url = new URL(trimmed);
  if (url.username !== '' || url.password !== '') return null;
  const rest = (url.pathname + url.search + url.hash).replace(OTHERS, (c) => encodeURIComponent(c));
  // A fragment has no second #.
  const [before, ...fragments] = rest.split('#');
  const address = url.origin + before + (fragments.length > 0 ? `#${fragments.join('%23')}` : '');
  return address.length <= LONGEST ? address : null;
}
