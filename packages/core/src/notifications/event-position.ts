import { isSnapshot } from '../feed/cursor.js';

/**
 * How far somebody has heard what happened. What is new is what a snapshot did not show, so the position after a whole batch is the
 * snapshot that was read up to. In the middle of a batch it is the snapshot before it, the one after it, and what was told last:
 * reading on from there leaves nothing out and says nothing twice, at whichever process.
 */
export interface EventPosition {
  /** When the snapshot was taken, in milliseconds since the epoch. */
  readonly at: number;
  /** All that this `pg_snapshot` shows was heard. */
  readonly snapshot: string;
  /** Of what this later snapshot shows beyond it, the rows up to this number were heard as well; of that row, so far. */
  readonly within?: { readonly snapshot: string; readonly row: string; readonly n: number };
}

const LONGEST = 4_096;
const ROW = /^[1-9]\d{0,18}$/;

/** Text of a position, as the `id` of an event. */
export function writeEventPosition({ at, snapshot, within }: EventPosition): string {
  return [at.toString(36), snapshot, ...(within ? [within.snapshot, within.row, within.n] : [])].join('/');
}

/** The position that a text holds, or null where it is none. */
export function readEventPosition(text: string): EventPosition | null {
  if (text.length > LONGEST) return null;
  const [at = '', snapshot = '', ...rest] = text.split('/');
  if (!/^[0-9a-z]{1,9}$/.test(at) || !isSnapshot(snapshot)) return null;
  const position = { at: parseInt(at, 36), snapshot };
  if (rest.length === 0) return position;
  const [after = '', row = '', n = ''] = rest;
  return rest.length === 3 && isSnapshot(after) && ROW.test(row) && /^\d{1,6}$/.test(n)
    ? { ...position, within: { snapshot: after, row, n: Number(n) } }
    : null;
}
