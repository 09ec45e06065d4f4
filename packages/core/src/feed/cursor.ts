import { createHmac, timingSafeEqual } from 'node:crypto';
import { readLogPlace } from '../standbys/standby.js';

/**
 * Cursors are opaque to callers. The text is base64url of the tag of a key, a digest by that key, and a JSON array; one that is
 * not exactly what we would write ourselves is refused, so nobody can make one, and a shortened, edited or re-encoded cursor
 * can never quietly read another page.
 */

/** A key that signs cursors. */
export interface CursorKey {
  /** Tells keys apart: eight hexadecimal digits. */
  readonly tag: string;
  readonly secret: Uint8Array;
}

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
  /** How far into the database's log the page that gave it had seen; left out where all pages are read from one server. */
  readonly seen?: string;
}

/** Where any other list reads on: bound to the list's name, at a sort key and an id. */
export interface ListCursor {
  readonly list: string;
  readonly key: string | number;
  readonly id: string;
}

/** What a list of notifications could show: what is marked as seen by it. */
export interface SeenMark {
  readonly userId: string;
  readonly kinds: readonly string[];
  /** The database's `pg_snapshot` as the list began. */
  readonly snapshot: string;
  /** The database's clock then, in milliseconds. */
  readonly begun: number;
}

/** Where a list of notifications reads on. */
export interface NotificationCursor extends SeenMark {
  readonly position: Position;
}

const VERSION = 2;
const TAG_BYTES = 4;
const DIGEST_BYTES = 16;
const LONGEST = 16_384;
const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
// The instants that a JavaScript Date writes with four digits of the year, as PostgreSQL reads them.
export const [EARLIEST, LATEST] = [Date.UTC(2000, 0, 1) - 63_082_281_600_000, Date.UTC(9999, 11, 31, 23, 59, 59, 999)];
const GREATEST_VERSION = 2_147_483_647;

type Field = string | number | boolean | null;

function seal(fields: Field[], { tag, secret }: CursorKey): string {
  const body = bodyOf(fields);
  return textOf(tag, digest(body, secret), body);
}

const bodyOf = (fields: Field[]): Buffer => Buffer.from(JSON.stringify([VERSION, ...fields]), 'utf8');

const textOf = (tag: string, signed: Buffer, body: Buffer): string =>
  Buffer.concat([Buffer.from(tag, 'hex'), signed, body]).toString('base64url');

function digest(body: Buffer, secret: Uint8Array): Buffer {
  return createHmac('sha256', secret).update('gather-lane cursor').update(body).digest().subarray(0, DIGEST_BYTES);
}

/** The tag of the key that a cursor says it was signed with; for a text that is no cursor some tag or other. */
export const cursorKeyTag = (text: string): string =>
  Buffer.from(text.slice(0, 2 * TAG_BYTES), 'base64url')
    .subarray(0, TAG_BYTES)
    .toString('hex');

function open(text: string, keys: readonly CursorKey[]): Field[] | null {
  const key = keys.find(({ tag }) => tag === cursorKeyTag(text));
  if (!key || text.length > LONGEST) return null;
  const bytes = Buffer.from(text, 'base64url').subarray(TAG_BYTES);
  if (bytes.length <= DIGEST_BYTES) return null;
  const body = bytes.subarray(DIGEST_BYTES);
  const signed = digest(body, key.secret);
  if (!timingSafeEqual(signed, bytes.subarray(0, DIGEST_BYTES))) return null;
  try {
    const [version, ...fields] = JSON.parse(body.toString('utf8')) as Field[];
    return version === VERSION && bodyOf(fields).equals(body) && textOf(key.tag, signed, body) === text ? fields : null;
  } catch {
    return null;
  }
}

const isInstant = (value: unknown): value is number =>
  Number.isInteger(value) && (value as number) >= EARLIEST && (value as number) <= LATEST;

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
export function writeFeedCursor(c: FeedCursor, key: CursorKey): string {
  const { mark, order, own, weighting, position, snapshot, begun, seen } = c;
  const fields = ['feed', mark, order, own, weighting, position?.at ?? null, position?.id ?? null, snapshot, begun];
  return seal(seen === undefined ? fields : [...fields, seen], key);
}

/** The feed cursor that a text holds, or null when none of the keys signed it. */
export function readFeedCursor(text: string, keys: readonly CursorKey[]): FeedCursor | null {
  const fields = open(text, keys);
  if (fields?.[0] !== 'feed' || (fields.length !== 9 && fields.length !== 10)) return null;
  const [, mark, order, own, weighting, at, id, snapshot, begun, seen] = fields;
  if (mark !== 'next' && mark !== 'first') return null;
  if (order !== 'recent' && order !== 'score') return null;
  if (typeof own !== 'boolean' || !isInstant(begun)) return null;
  if (!Number.isInteger(weighting) || (weighting as number) < 1 || (weighting as number) > GREATEST_VERSION)
    return null;
  if (typeof snapshot !== 'string' || !isSnapshot(snapshot)) return null;
  if (seen !== undefined && (typeof seen !== 'string' || readLogPlace(seen) === null)) return null;
  const where = seen === undefined ? {} : { seen };
  const base = { mark, order, own, weighting: weighting as number, snapshot, begun, ...where } as const;
  if (at === null && id === null) return mark === 'first' ? { ...base, position: null } : null;
  if (!isInstant(at) || typeof id !== 'string' || !UUID.test(id)) return null;
  return { ...base, position: { at, id } };
}

/** Text of a list cursor, safe in a URL. */
export function writeListCursor(c: ListCursor, key: CursorKey): string {
  return seal(['list', c.list, c.key, c.id], key);
}

/** The list cursor that a text holds, or null when none of the keys signed it. */
export function readListCursor(text: string, keys: readonly CursorKey[]): ListCursor | null {
  const fields = open(text, keys);
  if (fields?.length !== 4 || fields[0] !== 'list') return null;
  const [, list, key, id] = fields;
  if (typeof list !== 'string' || typeof id !== 'string' || !UUID.test(id)) return null;
  if (typeof key === 'number' ? !isInstant(key) : typeof key !== 'string') return null;
  return { list, key: key as string | number, id };
}

const markFields = ({ userId, kinds, snapshot, begun }: SeenMark): Field[] => [
  userId,
  kinds.join(' '),
  snapshot,
  begun,
];

function readMark([userId, kinds, snapshot, begun]: Field[]): SeenMark | null {
  if (typeof userId !== 'string' || !UUID.test(userId) || typeof kinds !== 'string') return null;
  if (typeof snapshot !== 'string' || !isSnapshot(snapshot) || !isInstant(begun)) return null;
  return { userId, kinds: kinds.split(' '), snapshot, begun };
}

/** Text of what a list of notifications could show. */
export function writeSeenMark(mark: SeenMark, key: CursorKey): string {
  return seal(['seen', ...markFields(mark)], key);
}

/** What a list could show, by its text; null when none of the keys signed it. */
export function readSeenMark(text: string, keys: readonly CursorKey[]): SeenMark | null {
  const fields = open(text, keys);
  return fields?.length === 5 && fields[0] === 'seen' ? readMark(fields.slice(1)) : null;
}

/** Text of where a list of notifications reads on, safe in a URL. */
export function writeNotificationCursor(cursor: NotificationCursor, key: CursorKey): string {
  const { at, id } = cursor.position;
  return seal(['notifications', ...markFields(cursor), at, id], key);
}

/** Where a list of notifications reads on, or null when none of the keys signed it. */
export function readNotificationCursor(text: string, keys: readonly CursorKey[]): NotificationCursor | null {
  const fields = open(text, keys);
  if (fields?.length !== 7 || fields[0] !== 'notifications') return null;
  const mark = readMark(fields.slice(1, 5));
  const [at, id] = fields.slice(5);
  return mark && isInstant(at) && typeof id === 'string' && UUID.test(id) ? { ...mark, position: { at, id } } : null;
}
