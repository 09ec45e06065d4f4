import { Button } from '@mui/material';
import type { User } from '@gather-lane/client';
import { useMutation } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useRefreshLists } from '../posts/use-changes';
import { useSession } from '../session/session';

const SAID = {
  mute: ['You read nothing of theirs any more; they are not told.', 'You read them again.'],
  block: ['They see nothing of you any more, and the follows between you ended.', 'You let them back in.'],
} as const;

/** Mutes and blocks a user, or takes it back. */
export function DistanceButtons({ user }: { user: User }) {
  const { session } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const change = useMutation({
    mutationFn: async ({ what, on }: { what: 'mute' | 'block'; on: boolean }) => {
      const path = what === 'mute' ? '/v1/mutes/{user}' : '/v1/blocks/{user}';
      const params = { path: { user: user.id } };
      if (on) unwrap(await api.DELETE(path, { params }));
      else unwrap(await api.PUT(path, { params }));
      await refresh();
    },
    onSuccess: (_, { what, on }) => tell(SAID[what][on ? 1 : 0]),
    onError: (error) => tell(errorText(error), 'error'),
  });
  if (!session || session.id === user.id || !user.relation) return null;
  const { muted, blocked } = user.relation;
  return (
    <>
      <Button onClick={() => change.mutate({ what: 'mute', on: muted })}>{muted ? 'Unmute' : 'Mute'}</Button>
      <Button color="error" onClick={() => change.mutate({ what: 'block', on: blocked })}>
        {blocked ? 'Unblock' : 'Block'}
      </Button>
    </>
  );
}
