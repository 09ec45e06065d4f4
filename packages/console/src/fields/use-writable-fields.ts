import type { OwnField } from '@gather-lane/client';
import { useSession } from '../session/session';

/** The fields of a table that their owner may write: as the row is made, or later. */
export function useWritableFields(table: 'users' | 'posts' | 'comments', moment: 'creation' | 'edit'): OwnField[] {
  const { about } = useSession();
  return (about?.fields ?? []).filter(
    (field) =>
      field.table === table &&
      (field.writable === 'owner' || (moment === 'creation' && field.writable === 'at-creation')),
  );
}
