/** The kinds of picture that are taken. */
export type PictureKind = 'jpeg' | 'png' | 'webp';

/** What is wrong with a file that should be a picture. */
export type PictureFault = 'no-picture' | 'truncated' | 'more-than-a-picture';

/** What a file is by its content, whatever its name says. */
export type Inspection = { readonly kind: PictureKind } | { readonly fault: PictureFault };

/** A part of a file: from, to. */
type Range = readonly [number, number];

/** How a file is laid out: where the picture ends, and where it keeps text and other data about itself. */
interface Layout {
  readonly kind: PictureKind;
  /** Null when the file ends before the picture does. */
  readonly end: number | null;
  readonly about: readonly Range[];
}

/** Beginnings of programs, documents and archives: in a picture's own data they make it two things at once. */
// eslint-disable-next-line no-control-regex
const FOREIGN = /<script|<html|<\?php|<svg|%PDF-|PK\x03\x04|#!\/|\x7fELF/i;

/**
 * Tells a picture by its content, and refuses what is two things at once: a picture for who looks at it and a program or
 * an archive for who reads its end or its comments. Behind a picture only zeros are taken, and behind a JPEG what cameras
 * put there: another picture (CIPA DC-007) or a short film (an ISO base media file).
 */
export function inspectPicture(bytes: Uint8Array): Inspection {
  const layout = layoutOf(bytes);
  if (!layout) return { fault: 'no-picture' };
  const { kind, end, about } = layout;
  if (end === null) return { fault: 'truncated' };
  const foreign = about.some(([from, to]) => FOREIGN.test(textOf(bytes, from, to)));
  const trailing = bytes.subarray(end);
  if (foreign || !(trailing.every((byte) => byte === 0) || (kind === 'jpeg' && isOfCamera(trailing))))
    return { fault: 'more-than-a-picture' };
  return { kind };
}

const textOf = (bytes: Uint8Array, from: number, to: number): string =>
  new TextDecoder('latin1').decode(bytes.subarray(from, to));

const isOfCamera = (rest: Uint8Array): boolean =>
  (rest[0] === 0xff && rest[1] === 0xd8 && rest[2] === 0xff) || textOf(rest, 4, 8) === 'ftyp';

function layoutOf(bytes: Uint8Array): Layout | null {
  if (bytes[0] === 0xff && bytes[1] === 0xd8 && bytes[2] === 0xff) return jpeg(bytes);
  if (PNG.every((byte, i) => bytes[i] === byte)) return png(bytes);
  if (textOf(bytes, 0, 4) === 'RIFF' && textOf(bytes, 8, 12) === 'WEBP') return webp(bytes);
  return null;
}

const PNG = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];

/** ISO/IEC 10918-1, annex B: segments by their markers; in the scans a marker is what is neither stuffed nor a restart. */
function jpeg(bytes: Uint8Array): Layout {
  const about: Range[] = [];
  let at = 2;
  while (at + 1 < bytes.length) {
    const marker = bytes[at + 1]!;
    if (bytes[at] !== 0xff || marker === 0xff || marker === 0x00 || (marker >= 0xd0 && marker <= 0xd7)) {
      at += bytes[at] === 0xff && marker !== 0xff ? 2 : 1;
      continue;
    }
    if (marker === 0xd9) return { kind: 'jpeg', end: at + 2, about };
    if (marker === 0x01 || marker === 0xd8) {
      at += 2;
      continue;
    }
    const length = ((bytes[at + 2] ?? 0) << 8) | (bytes[at + 3] ?? 0);
    if (marker === 0xfe || (marker >= 0xe0 && marker <= 0xef)) about.push([at + 4, at + 2 + length]);
    at += 2 + Math.max(2, length);
  }
  return { kind: 'jpeg', end: null, about };
}

/** PNG (ISO/IEC 15948): chunks of a length, a type, data and a checksum, the last of them IEND. */
function png(bytes: Uint8Array): Layout {
  const about: Range[] = [];
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let at = 8;
  while (at + 12 <= bytes.length) {
    const length = view.getUint32(at);
    const type = textOf(bytes, at + 4, at + 8);
    if (['tEXt', 'iTXt', 'zTXt', 'eXIf'].includes(type)) about.push([at + 8, at + 8 + length]);
    at += 12 + length;
    if (type === 'IEND') return { kind: 'png', end: at <= bytes.length ? at : null, about };
  }
  return { kind: 'png', end: null, about };
}

/** WebP (RFC 9649): a RIFF file, whose size stands at its beginning; chunks are padded to even lengths. */
function webp(bytes: Uint8Array): Layout {
  const about: Range[] = [];
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 12) return { kind: 'webp', end: null, about };
  const size = view.getUint32(4, true);
  const end = 8 + size + (size % 2);
  for (let at = 12; at + 8 <= Math.min(end, bytes.length);) {
    const length = view.getUint32(at + 4, true);
    if (['EXIF', 'XMP '].includes(textOf(bytes, at, at + 4))) about.push([at + 8, at + 8 + length]);
    at += 8 + length + (length % 2);
  }
  return { kind: 'webp', end: end <= bytes.length ? end : null, about };
}
