import { Card } from '@mui/material';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import type { Values } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { useSession } from '../session/session';
import { TextForm } from './text-form';
import { useRefreshLists } from './use-changes';

/** Where a post is written. */
export function Composer() {
  const { about } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const fields = useWritableFields('posts', 'creation');
  const post = async (body: string, values: Values) => {
    unwrap(await api.POST('/v1/posts', { body: { body, ...(fields.length > 0 && { fields: values }) } }));
    tell('Posted.');
    await refresh();
  };
  return (
    <Card sx={{ p: 1.5 }}>
      <TextForm label="Write a post" action="Post" limit={about?.limits.post ?? 600} fields={fields} onSubmit={post} />
    </Card>
  );
}
