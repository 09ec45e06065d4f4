import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { inspectPicture } from './container.js';

const bytes = (...parts: (string | number[])[]): Uint8Array =>
  Uint8Array.from(parts.flatMap((part) => (typeof part === 'string' ? [...Buffer.from(part, 'latin1')] : part)));
const u32 = (n: number) => [n >>> 24, (n >>> 16) & 255, (n >>> 8) & 255, n & 255];
const chunk = (type: string, data = '') => [...bytes(u32(data.length), type, data, u32(0))];
const segment = (marker: number, data: string) => [0xff, marker, 0, data.length + 2, ...bytes(data)];

const SOI = [0xff, 0xd8];
const EOI = [0xff, 0xd9];
/** A scan with stuffed zeros, a restart marker, and bytes that look like an end to who does not know them. */
const SCAN = [...segment(0xda, 'header'), 1, 2, 0xff, 0x00, 0xd9, 0xff, 0xd3, 7, 0xff, 0x00];
const JPEG = bytes(SOI, segment(0xe1, 'Exif'), SCAN, EOI);
const PNG = bytes([0x89], 'PNG\r\n\u001a\n', chunk('IHDR', 'x'.repeat(13)), chunk('IDAT', 'data'), chunk('IEND'));
const WEBP = bytes('RIFF', [18, 0, 0, 0], 'WEBP', 'VP8L', [5, 0, 0, 0], 'abcde', [0]);

describe('pictures', () => {
  test.each([
    ['jpeg', JPEG],
    ['png', PNG],
    ['webp', WEBP],
  ])('%s is told by its content', (kind, picture) => {
    expect(inspectPicture(picture)).toEqual({ kind });
    expect(inspectPicture(bytes([...picture], [0, 0, 0]))).toEqual({ kind });
  });

  test.each([
    ['an SVG', bytes('<svg xmlns="http://www.w3.org/2000/svg"><script>1</script></svg>')],
    ['a GIF', bytes('GIF89a', [1, 0, 1, 0])],
    ['text', bytes('a picture of a heron')],
    ['nothing', bytes()],
  ])('%s is none', (_, file) => expect(inspectPicture(file)).toEqual({ fault: 'no-picture' }));

  test('whatever is cut short is told so, wherever it was cut', () => {
    for (const picture of [JPEG, PNG, WEBP])
      fc.assert(
        fc.property(fc.integer({ min: 12, max: picture.length - 1 }), (length) => {
          expect(inspectPicture(picture.subarray(0, length))).toEqual({ fault: 'truncated' });
        }),
      );
  });

  test.each([
    ['an archive behind it', bytes([...PNG], 'PK\u0003\u0004')],
    ['a page behind it', bytes([...WEBP], '<html>')],
    ['a page behind a JPEG', bytes([...JPEG], '<html>')],
    ['a program in a comment', bytes(SOI, segment(0xfe, '<?php system($_GET[0]); ?>'), SCAN, EOI)],
    [
      'a script in its text',
      bytes([0x89], 'PNG\r\n\u001a\n', chunk('IHDR'), chunk('tEXt', 'a\0<SCRIPT>'), chunk('IEND')),
    ],
    ['a document in its metadata', bytes('RIFF', [20, 0, 0, 0], 'WEBP', 'XMP ', [8, 0, 0, 0], '%PDF-1.7')],
  ])('with %s it is more than a picture', (_, file) =>
    expect(inspectPicture(file)).toEqual({ fault: 'more-than-a-picture' }),
  );

  test('what cameras put behind a JPEG is no fault: another picture, a short film', () => {
    expect(inspectPicture(bytes([...JPEG], [...JPEG]))).toEqual({ kind: 'jpeg' });
    expect(inspectPicture(bytes([...JPEG], u32(24), 'ftypmp42'))).toEqual({ kind: 'jpeg' });
  });

  test('no bytes at all make it fail or go on forever', () => {
    const start = fc.constantFrom([0xff, 0xd8, 0xff], [...PNG.subarray(0, 8)], [...WEBP.subarray(0, 12)]);
    fc.assert(
      fc.property(start, fc.uint8Array({ maxLength: 300 }), (head, rest) => {
        inspectPicture(Uint8Array.from([...head, ...rest]));
      }),
    );
  });
});
