const KEY = 'gather-lane-walk';

/** The walk that was looked at last in this browser, or null. */
export const keptWalk = (): string | null => localStorage.getItem(KEY);

/** Keeps a walk for the next look. */
export function keepWalk(text: string): void {
  try {
    localStorage.setItem(KEY, text);
  } catch {
    // A browser without room keeps the page as it is.
  }
}
