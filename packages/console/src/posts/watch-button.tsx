import { mdiEye, mdiEyeOutline } from '@mdi/js';
import { Button } from '@mui/material';
import type { Post } from '@gather-lane/client';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useSession } from '../session/session';
import { patchEverywhere } from './patch-posts';

/** Watches a post, or leaves it; nothing for nobody. */
export function WatchButton({ post }: { post: Post }) {
  const { session } = useSession();
  const tell = useNotice();
  const queryClient = useQueryClient();
  const change = useMutation({
    mutationFn: async () => {
      const params = { path: { post: post.id } };
      return unwrap(
        post.watching
          ? await api.DELETE('/v1/posts/{post}/watch', { params })
          : await api.PUT('/v1/posts/{post}/watch', { params }),
      );
    },
    onSuccess: ({ watching }) => {
      patchEverywhere(queryClient, post.id, (each) => ({ ...each, watching }));
      tell(watching ? 'You are told of new comments on it.' : 'You are told of its comments no more.');
    },
    onError: (error) => tell(errorText(error), 'error'),
  });
  if (!session) return null;
  return (
    <Button
      color="inherit"
      sx={{ color: 'text.secondary' }}
      startIcon={post.watching ? <Icon outline={mdiEye} /> : <Icon outline={mdiEyeOutline} />}
      loading={change.isPending}
      aria-pressed={post.watching}
      onClick={() => change.mutate()}
    >
      {post.watching ? 'Watching' : 'Watch'}
    </Button>
  );
}
