import type { S3Client } from '@aws-sdk/client-s3';
import { PICTURE_FILE } from './picture.js';
import { MediaStore, StoreGone } from './store.js';

/** A bucket that does not answer is not waited for as long as it likes, in milliseconds. */
const [CONNECTS_WITHIN, ANSWERS_WITHIN] = [3_000, 20_000];

/** Its commands are loaded with the first picture: who has no bucket needs none of it. */
type Protocol = typeof import('@aws-sdk/client-s3');

/** Where a bucket is, of a service that speaks the protocol of S3. */
export interface BucketPlace {
  /** Where the service is. */
  readonly endpoint: string;
  readonly bucket: string;
}

/** The parts of `https://HOST/BUCKET`. */
export function bucketPlace(address: string): BucketPlace {
  const { origin, pathname } = new URL(address);
  return { endpoint: origin, bucket: pathname.replace(/^\/|\/$/g, '') };
}

/**
 * Files in a bucket, which services on many machines share. Who may use it is said where the protocol's own tools look for that
 * (`AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY`, `AWS_REGION`, profiles, roles of a machine). Each method throws {@link StoreGone} where it
 * cannot be used.
 */
export class BucketStore extends MediaStore {
  readonly #place: BucketPlace;
  #opened: Promise<{ readonly client: S3Client; readonly protocol: Protocol }> | null = null;

  constructor(place: BucketPlace) {
    super();
    this.#place = place;
  }

  async put(name: string, bytes: Buffer): Promise<void> {
    const { client, protocol, at } = await this.#open();
    await client
      .send(new protocol.PutObjectCommand({ ...at(name), Body: bytes, ContentType: 'image/webp' }))
      .catch(gone);
  }

  async has(name: string): Promise<boolean> {
    const { client, protocol, at } = await this.#open();
    return client.send(new protocol.HeadObjectCommand(at(name))).then(
      () => true,
      (error: unknown) => isMissing(error, false),
    );
  }

  async read(name: string): Promise<Buffer | null> {
    const { client, protocol, at } = await this.#open();
    try {
      const { Body } = await client.send(new protocol.GetObjectCommand(at(name)));
      return Buffer.from(await Body!.transformToByteArray());
    } catch (error) {
      return isMissing(error, null);
    }
  }

  async remove(name: string): Promise<void> {
    const { client, protocol, at } = await this.#open();
    await client.send(new protocol.DeleteObjectCommand(at(name))).catch(gone);
  }

  locate(): null {
    return null;
  }

  async *list(): AsyncIterable<{ name: string; madeAt: number }> {
    const { client, protocol } = await this.#open();
    const pages = protocol.paginateListObjectsV2({ client }, { Bucket: this.#place.bucket });
    for (;;) {
      const { done, value } = await pages.next().catch(gone);
      if (done) return;
      for (const { Key = '', LastModified } of value.Contents ?? [])
        // What others keep there is none of ours to copy or to sweep.
        if (LastModified && PICTURE_FILE.test(Key)) yield { name: Key, madeAt: LastModified.getTime() };
    }
  }

  async #open() {
    const { endpoint, bucket } = this.#place;
    this.#opened ??= import('@aws-sdk/client-s3').then((protocol) => {
      const client = new protocol.S3Client({
        endpoint,
        region: process.env.AWS_REGION ?? 'us-east-1',
        requestHandler: { connectionTimeout: CONNECTS_WITHIN, requestTimeout: ANSWERS_WITHIN },
        // The bucket in the path: names of hosts for buckets are not had everywhere, nor is each way of checking sums.
        forcePathStyle: true,
        requestChecksumCalculation: 'WHEN_REQUIRED',
        responseChecksumValidation: 'WHEN_REQUIRED',
      });
      return { client, protocol };
    });
    return { ...(await this.#opened), at: (name: string) => ({ Bucket: bucket, Key: name }) };
  }
}

const gone = (why: unknown): never => {
  throw new StoreGone(why);
};

/** What stands for a file that is not there. @throws StoreGone for whatever else went wrong */
function isMissing<T>(error: unknown, missing: T): T {
  if ((error as { $metadata?: { httpStatusCode?: number } }).$metadata?.httpStatusCode === 404) return missing;
  return gone(error);
}
