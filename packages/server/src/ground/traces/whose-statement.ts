import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

/** As deep as the code of a capability may be above what it calls. */
const DEPTH = 40;
/** What begins and ends transactions is everybody's. */
const CONTROLS = /^\s*(?:BEGIN|START|COMMIT|ROLLBACK|SAVEPOINT|RELEASE)\b/i;
/** A folder of a capability: that of its floor and its own. */
const FOLDER = /(?:^|\/)server\/(?:src|dist)\/([\w-]+)\/(?:([\w-]+)\/)?(?:[\w-]+\/)*[\w.-]+\.[jt]s/;

/**
 * The capability whose code sends a statement: the folder of the innermost file above the ground that is on the way. Cost: a stack of
 * calls; `knownText` asks once for each text.
 */
export function whoseStatement(text: string): string | null {
  if (CONTROLS.test(text)) return null;
  const { stackTraceLimit } = Error;
  Error.stackTraceLimit = DEPTH;
  const frames = (new Error().stack ?? '').split('\n').slice(1);
  Error.stackTraceLimit = stackTraceLimit;
  return frames.map(capabilityAt).find((name) => name !== null) ?? null;
}

function capabilityAt(frame: string): string | null {
  const [, place, line] = /\(?((?:file:\/\/)?\/[^\s()]+):(\d+):\d+\)?$/.exec(frame) ?? [];
  if (place === undefined) return null;
  const path = place.startsWith('file:') ? fileURLToPath(place) : place;
  const [, floor, folder] = FOLDER.exec(moduleAt(path, Number(line))) ?? [];
  if (floor === undefined || floor === 'ground' || floor === 'tests') return null;
  return floor === 'feed' || folder === undefined ? floor : folder;
}

/** How the bundler marks where a module begins. */
const MARK = /^\/\/ \S+\.[cm]?js$/;
/** Where each module begins in a file that many were written into as one. */
const REGIONS = new Map<string, readonly (readonly [line: number, module: string])[]>();

/** The module that stands at a line of a file: the file itself, or the part of a bundle. */
function moduleAt(path: string, line: number): string {
  if (!path.includes('/bundle/')) return path;
  if (!REGIONS.has(path)) {
    const lines = readFileSync(path, 'utf8').split('\n');
    const marks = lines.flatMap((text, i) => (MARK.test(text) ? [[i + 1, text.slice(3)] as const] : []));
    REGIONS.set(path, marks);
  }
  return REGIONS.get(path)!.findLast(([begins]) => begins <= line)?.[1] ?? '';
}
