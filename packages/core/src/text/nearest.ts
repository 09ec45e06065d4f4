import { closest, distance } from 'fastest-levenshtein';

/**
 * The known name that a mistyped one probably means: the closest, as long as no more than a third of it differs. Anything
 * further away is a guess that misleads.
 * @returns null where nothing is near enough
 */
export function nearestName(name: string, known: readonly string[]): string | null {
  if (known.length === 0) return null;
  const near = closest(name, [...known]);
  const most = Math.max(1, Math.floor(Math.max(name.length, near.length) / 3));
  return distance(name, near) <= most || swapped(name, near) ? near : null;
}

/** Whether two neighbouring letters changed places: one slip, which the distance counts as two. */
function swapped(name: string, near: string): boolean {
  const at = [...name].findIndex((letter, i) => letter !== near[i]);
  return at >= 0 && name.slice(0, at) + (name[at + 1] ?? '') + name[at] + name.slice(at + 2) === near;
}

/** ` (did you mean order?)`, or nothing where no known name is near. */
export function didYouMean(name: string, known: readonly string[]): string {
  const near = nearestName(name, known);
  return near === null ? '' : ` (did you mean ${near}?)`;
}
