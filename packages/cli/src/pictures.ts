import { randomUUID } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import type { Client } from '@gather-lane/client';
import { unwrap } from './context.js';
import { Failure } from './failure.js';

/** Collects an option that may be given several times. */
export const collect = (value: string, before: string[]): string[] => [...before, value];

/** A key of its own for each call that makes something: sent again after a lost reply, it makes nothing twice. */
export const repeatable = (): { 'idempotency-key': string } => ({ 'idempotency-key': randomUUID() });

/**
 * Uploads a picture that is named as `file` or `file=what it shows`.
 * @throws Failure when the file is not to be read
 */
export async function uploadPicture(client: Client, named: string): Promise<{ id: string; alt: string }> {
  const [path = '', ...words] = named.split('=');
  const bytes = await readFile(path).catch((error: Error) => {
    throw new Failure(`${path} cannot be read: ${error.message}`);
  });
  const form = new FormData();
  form.append('file', new Blob([new Uint8Array(bytes)]), basename(path));
  const { id } = unwrap(
    await client.POST('/v1/media', {
      body: { file: '' },
      bodySerializer: () => form,
      headers: repeatable(),
    }),
  );
  return { id, alt: words.join('=') };
}
