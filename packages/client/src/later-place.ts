/** A place that nobody knows: later than any, until something is seen again. */
const UNKNOWN = 'unknown';

/**
 * The later of two places in a log, as PostgreSQL writes them: two hexadecimal numbers, the greater before a slash.
 * @param kept null for none yet
 */
export function laterPlace(kept: string | null, come: string): string {
  if (kept === null || kept === UNKNOWN || come === UNKNOWN) return come;
  return digitsOf(come) > digitsOf(kept) ? come : kept;
}

const digitsOf = (place: string): string =>
  place
    .toUpperCase()
    .split('/')
    .map((part) => part.padStart(8, '0'))
    .join('');
