/** What a handle looks like once folded to lower case. */
export const HANDLE_PATTERN = /^[a-z][a-z0-9_]{2,23}$/;

/** Handles nobody may take: they read like the service itself, or stand for the caller. */
export const RESERVED_HANDLES: readonly string[] = [
  'operator',
  'support',
  'me',
  'admin',
  'administrator',
  'moderator',
  'system',
  'root',
  'help',
  'security',
  'nobody',
  'anyone',
  'everyone',
  'deleted',
  'gather_lane',
  'gatherlane',
];

/** Handles are the same whatever their case; this is the form that is stored. */
export const foldHandle = (handle: string): string => handle.replace(/^@/, '').toLowerCase();

/** What is wrong with a (folded) handle, as a sentence, or null when nothing is. */
export function handleFault(handle: string): string | null {
  if (!HANDLE_PATTERN.test(handle))
    return 'must be 3 to 24 characters: a letter first, then letters, digits or underscores';
  if (RESERVED_HANDLES.includes(handle)) return `is reserved (${handle}): choose another`;
  return null;
}

/**
 * A handle made from a person's name: accents folded, words joined by underscores.
 * @param attempt 0 gives the plain form; 1, 2, … append a number to make it unique
 */
export function handleFrom(name: string, attempt = 0): string {
  const words = name
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[_0-9]+|_+$/g, '');
  const stem = words.length >= 3 ? words : `user_${words}`.replace(/_+$/, '');
  const suffix = attempt > 0 ? String(attempt + 1) : '';
  const handle = stem.slice(0, 24 - suffix.length).replace(/_+$/, '') + suffix;
  return RESERVED_HANDLES.includes(handle) ? handleFrom(`${stem}_1`, attempt) : handle;
}
