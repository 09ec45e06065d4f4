import { createHash } from 'node:crypto';

/**
 * Cursors are opaque to callers. The text is base64url of a 6-byte digest followed by a
 * JSON array; one that is not exactly what we would write ourselves is refused, so a
 * shortened, edited or re-encoded cursor can never quietly read another page.
 */

/** A point in a descending (instant, id) order; the instant in milliseconds since the epoch. */
export interface Position {
  readonly at: number;
  readonly id: string;
}

/** Where a following-feed scroll reads on (`next`) or began (`first`). */
export interface FeedCursor {
  readonly mark: 'next' | 'first';
  readonly order: 'recent' | 'score';
  readonly own: boolean;
  /** Version of the weighting under which the scroll began. */
  readonly weighting: number;
  /** Null only in a `first` mark of a feed that was empty. */
  readonly position: Position | null;
  /** The database's `pg_snapshot` when the scroll began. */
  readonly snapshot: string;
  /** The database's clock when the scroll began, in milliseconds. */
  readonly begun: number;
}

/** Where any other list reads on: bound to the list's name, at a sort key and an id. */
export interface ListCursor {
  readonly list: string;
  readonly key: string | number;
  readonly id: string;
}

const VERSION = 1;
const DIGEST_BYTES = 6;
const LONGEST = 16_384;
const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
// The widest instant that both a JavaScript Date and a PostgreSQL timestamptz hold.
const WIDEST = 8.64e15;

type Field = string | number | boolean | null;

function seal(fields: Field[]): string {
  const body = Buffer.from(JSON.stringify([VERSION, ...fields]), 'utf8');
  return Buffer.concat([digest(body), body]).toString('base64url');
}

function digest(body: Buffer): Buffer {
  return createHash('sha256').update('gather-lane cursor').update(body).digest().subarray(0, DIGEST_BYTES);
}

function open(text: string): Field[] | null {
  if (text.length > LONGEST) return null;
  const bytes = Buffer.from(text, 'base64url');
  const body = bytes.subarray(DIGEST_BYTES);
  if (!digest(body).equals(bytes.subarray(0, DIGEST_BYTES))) return null;
  try {
    const [version, ...fields] = JSON.parse(body.toString('utf8')) as Field[];
    return version === VERSION && seal(fields) === text ? fields : null;
  } catch {
    return null;
  }
}

const isInstant = (value: unknown): value is number => Number.isInteger(value) && Math.abs(value as number) <= WIDEST;

/** True for the text of a `pg_snapshot` that PostgreSQL accepts: `xmin:xmax:xip,…`, in order. */
export function isSnapshot(text: string): boolean {
  const match = /^([1-9]\d{0,18}):([1-9]\d{0,18}):((?:\d{1,19}(?:,\d{1,19})*)?)$/.exec(text);
  if (!match) return false;
  const [xmin, xmax] = [BigInt(match[1]!), BigInt(match[2]!)];
  const inProgress = match[3] ? match[3].split(',').map(BigInt) : [];
  const rises = inProgress.every((x, i) => x >= xmin && x < xmax && (i === 0 || x > inProgress[i - 1]!));
  return xmin <= xmax && rises;
}

/** Text of a feed cursor, safe in a URL. */
export function writeFeedCursor(c: FeedCursor): string {
  const { mark, order, own, weighting, position, snapshot, begun } = c;
  return seal(['feed', mark, order, own, weighting, position?.at ?? null, position?.id ?? null, snapshot, begun]);
}

/** The feed cursor that a text holds, or null when it is not one of ours. */
export function readFeedCursor(text: string): FeedCursor | null {
  const fields = open(text);
  if (fields?.length !== 9 || fields[0] !== 'feed') return null;
  const [, mark, order, own, weighting, at, id, snapshot, begun] = fields;
  if (mark !== 'next' && mark !== 'first') return null;
  if (order !== 'recent' && order !== 'score') return null;
  if (typeof own !== 'boolean' || !Number.isInteger(weighting) || !isInstant(begun)) return null;
  if (typeof snapshot !== 'string' || !isSnapshot(snapshot)) return null;
  const base = { mark, order, own, weighting: weighting as number, snapshot, begun } as const;
  if (at === null && id === null) return mark === 'first' ? { ...base, position: null } : null;
  if (!isInstant(at) || typeof id !== 'string' || !UUID.test(id)) return null;
  return { ...base, position: { at, id } };
}

/** Text of a list cursor, safe in a URL. */
export function writeListCursor(c: ListCursor): string {
  return seal(['list', c.list, c.key, c.id]);
}

/** The list cursor that a text holds, or null when it is not one of ours. */
export function readListCursor(text: string): ListCursor | null {
  const fields = open(text);
  if (fields?.length !== 4 || fields[0] !== 'list') return null;
  const [, list, key, id] = fields;
  if (typeof list !== 'string' || typeof id !== 'string' || !UUID.test(id)) return null;
  if (typeof key === 'number' ? !isInstant(key) : typeof key !== 'string') return null;
  return { list, key: key as string | number, id };
}
