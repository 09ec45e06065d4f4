import { Card } from '@mui/material';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { useSession } from '../session/session';
import { TextForm } from './text-form';
import { useRefreshLists } from './use-changes';

/** Where a post is written. */
export function Composer() {
  const { about } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const post = async (body: string) => {
    unwrap(await api.POST('/v1/posts', { body: { body } }));
    tell('Posted.');
    await refresh();
  };
  return (
    <Card sx={{ p: 1.5 }}>
      <TextForm label="Write a post" action="Post" limit={about?.limits.post ?? 600} onSubmit={post} />
    </Card>
  );
}
