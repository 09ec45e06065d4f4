import { inspectPicture, type PictureFault } from '@gather-lane/core';
import { bounded } from '../../ground/http/bounded.js';
import { Problem } from '../../ground/http/problem.js';

const WIDTHS = [320, 640, 1280];
const MOST_PIXELS = 40_000_000;
const QUALITY = 80;
// Decoding takes memory and both cores: more than two at once would starve the feed.
const inTurn = bounded(2, 50);
/** The decoder, loaded with the first picture: most starts of a command see none. */
const loadSharp = async () => {
  const { default: sharp } = await import('sharp');
  sharp.concurrency(1);
  sharp.cache(false);
  return sharp;
};

/** A picture as it is stored: turned upright, without metadata, in several widths. */
export interface Prepared {
  readonly width: number;
  readonly height: number;
  readonly files: readonly { readonly width: number; readonly bytes: Buffer }[];
  /** A data URI of some hundred bytes. */
  readonly placeholder: string;
}

const FAULTS: Record<PictureFault, string> = {
  'no-picture': 'The file is no JPEG, PNG or WebP picture; its content counts, not its name.',
  'truncated': 'The file ends before the picture does: it was cut short on its way. Send it again, whole.',
  'more-than-a-picture':
    'The file holds a picture and something else behind or inside it. Save it anew in an image program, and send that.',
};

/**
 * Makes of an upload what is stored of it. The whole picture is decoded, so a damaged one is noticed here.
 * @throws Problem `bad-picture` saying what is wrong with the file, `busy`
 */
export async function preparePicture(bytes: Buffer): Promise<Prepared> {
  const inspection = inspectPicture(bytes);
  if ('fault' in inspection) throw new Problem('bad-picture', FAULTS[inspection.fault]);
  return inTurn(() => encode(bytes));
}

async function encode(bytes: Buffer): Promise<Prepared> {
  const sharp = await loadSharp();
  const read = () => sharp(bytes, { limitInputPixels: MOST_PIXELS, failOn: 'error' }).autoOrient();
  try {
    // Decoded once, whatever the number of widths; metadata, places among it, is left behind here.
    const largest = await read()
      .resize({ width: WIDTHS.at(-1)!, withoutEnlargement: true })
      .toColorspace('srgb')
      .png({ compressionLevel: 1 })
      .toBuffer({ resolveWithObject: true });
    const { autoOrient } = await sharp(bytes, { limitInputPixels: MOST_PIXELS }).metadata();
    const widths = [...WIDTHS.filter((width) => width < largest.info.width), largest.info.width];
    const files = [];
    for (const width of widths)
      files.push({ width, bytes: await sharp(largest.data).resize({ width }).webp({ quality: QUALITY }).toBuffer() });
    const tiny = await sharp(largest.data).resize(16, 16, { fit: 'inside' }).blur(0.6).webp({ quality: 30 }).toBuffer();
    const placeholder = `data:image/webp;base64,${tiny.toString('base64')}`;
    return { width: autoOrient.width, height: autoOrient.height, files, placeholder };
  } catch (error) {
    throw toProblem(error as Error);
  }
}

function toProblem({ message }: Error): Problem {
  if (message.includes('pixel limit'))
    return new Problem('bad-picture', 'The picture has more than 40 megapixels: make it smaller first.');
  return new Problem('bad-picture', 'The picture cannot be read: it is damaged, or was cut short on its way.');
}
