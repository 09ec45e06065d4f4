import { Button } from '@mui/material';
import type { User } from '@gather-lane/client';
import { useMutation } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useRefreshLists } from '../posts/use-changes';
import { useSession } from '../session/session';

/** Follows or unfollows a user; nothing for oneself, or for nobody. */
export function FollowButton({ user }: { user: User }) {
  const { session } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const following = user.relation?.youFollow ?? false;
  const change = useMutation({
    mutationFn: async () => {
      const params = { path: { user: user.id } };
      if (following) unwrap(await api.DELETE('/v1/follows/{user}', { params }));
      else unwrap(await api.PUT('/v1/follows/{user}', { params }));
      await refresh();
    },
    onSuccess: () => tell(following ? `You no longer follow @${user.handle}.` : `You follow @${user.handle}.`),
    onError: (error) => tell(errorText(error), 'error'),
  });
  if (!session || session.id === user.id || !user.relation) return null;
  return (
    <Button
      variant={following ? 'outlined' : 'contained'}
      loading={change.isPending}
      onClick={() => change.mutate()}
      aria-label={`${following ? 'Unfollow' : 'Follow'} @${user.handle}`}
    >
      {following ? 'Unfollow' : 'Follow'}
    </Button>
  );
}
