import type { Picture } from '@gather-lane/client';
import { api, unwrap } from '../api';

/** A key of its own for each call that makes something: sent again after a lost reply, it makes nothing twice. */
export const repeatable = (): { 'idempotency-key': string } => ({ 'idempotency-key': crypto.randomUUID() });

/** Uploads a picture. @throws ServiceProblem saying what is wrong with the file */
export async function uploadPicture(file: File): Promise<Picture> {
  const form = new FormData();
  form.append('file', file);
  return unwrap(await api.POST('/v1/media', { body: { file: '' }, bodySerializer: () => form, headers: repeatable() }));
}
