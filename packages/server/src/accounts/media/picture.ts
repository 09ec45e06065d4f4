import { Type } from 'typebox';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { Uuid, type Of } from '../../ground/http/schemas.js';

/** A picture as it is shown. */
export const PictureSchema = Type.Object(
  {
    id: Uuid,
    url: Type.String({ format: 'uri', description: 'The largest size' }),
    width: Type.Integer({ description: 'In pixels, upright: with the height it keeps the place on a page' }),
    height: Type.Integer(),
    sizes: Type.Array(
      Type.Object({ width: Type.Integer(), height: Type.Integer(), url: Type.String({ format: 'uri' }) }),
    ),
    placeholder: Type.String({
      description: 'A tiny blurred picture as a data URI, to show until the real one is there',
    }),
    alt: Type.String({ description: 'What it shows, for who does not see it' }),
  },
  { $id: 'Picture' },
);
/** A picture as it is shown. */
export type PictureView = Of<typeof PictureSchema>;

/** A picture as statements yield it. */
export interface PictureJson {
  readonly id: string;
  readonly blob: string;
  readonly width: number;
  readonly height: number;
  readonly widths: number[];
  readonly placeholder: string;
  readonly alt?: string;
}

/** Names of files as they are made here; the first part is the blob's id. */
export const PICTURE_FILE = /^([0-9a-f-]{36})-\d{1,4}\.webp$/;

/** Name of a stored file. */
export const fileName = (blob: string, width: number): string => `${blob}-${width}.webp`;

/** A picture with its addresses. */
export function toPicture(picture: PictureJson, address: PublicAddress): PictureView {
  const { id, blob, width, height, widths, placeholder, alt = '' } = picture;
  const sizes = widths.map((each) => ({
    width: each,
    height: Math.max(1, Math.round((height * each) / width)),
    url: address.to(`/media/${fileName(blob, each)}`),
  }));
  return { id, url: sizes.at(-1)!.url, width, height, sizes, placeholder, alt };
}
