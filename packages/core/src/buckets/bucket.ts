/** Into so many parts what people write may be taken apart, one day: a server, or a partition, holds some of them. */
export const BUCKETS = 1_024;

/**
 * The bucket that an id tells: its last ten bits. Those of a user are of chance (RFC 9562, rand_b), so that buckets are alike; those of a
 * post are its author's, those of a comment its post's. Posts that were made before ids told this, and those of hand-written SQL, tell
 * some bucket: a column has to say theirs.
 * @param id a UUID
 */
export const bucketOf = (id: string): number => parseInt(id.slice(-3), 16) % BUCKETS;

/** An id as it was, but in the bucket of what it belongs to: an author, or a post. */
export function inBucketOf(id: string, of: string): string {
  const tail = parseInt(id.slice(-3), 16);
  return id.slice(0, -3) + (tail - (tail % BUCKETS) + bucketOf(of)).toString(16).padStart(3, '0');
}
