import { Button, Stack, Typography } from '@mui/material';
import type { Removed } from '@gather-lane/client';
import { useMutation, useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText, Failed } from '../common/states';
import { Ago } from '../common/time';
import { useRefreshLists } from '../posts/use-changes';
import { Section } from './section';

const BY = { owner: 'you deleted it', moderator: 'a moderator deleted it', withheld: 'a moderator withholds it' };

/** What of one's own is out of sight, with a way to bring it back. */
export function RemovedCard() {
  const removed = useQuery({
    queryKey: ['removed'],
    queryFn: async () => unwrap(await api.GET('/v1/me/removed')).items,
  });
  return (
    <Section title="Out of sight">
      {removed.isError && <Failed error={removed.error} retry={() => void removed.refetch()} />}
      {removed.data?.length === 0 && (
        <Typography color="text.secondary">Nothing. What you delete stays here for 30 days.</Typography>
      )}
      <Stack sx={{ gap: 1.5 }}>
        {removed.data?.map((thing) => (
          <RemovedRow key={thing.id} thing={thing} />
        ))}
      </Stack>
    </Section>
  );
}

function RemovedRow({ thing }: { thing: Removed }) {
  const tell = useNotice();
  const refresh = useRefreshLists();
  const restore = useMutation({
    mutationFn: async () => {
      if (thing.kind === 'post')
        unwrap(await api.POST('/v1/posts/{post}/restore', { params: { path: { post: thing.id } }, body: {} }));
      else
        unwrap(await api.POST('/v1/comments/{comment}/restore', { params: { path: { comment: thing.id } }, body: {} }));
      await refresh();
    },
    onSuccess: () => tell('It is back.'),
    onError: (error) => tell(errorText(error), 'error'),
  });
  return (
    <Stack direction="row" sx={{ gap: 2, alignItems: 'start' }}>
      <div style={{ flexGrow: 1, minWidth: 0 }}>
        <Typography sx={{ overflowWrap: 'anywhere' }}>{thing.body || 'A post of pictures'}</Typography>
        <Typography variant="body2" color="text.secondary">
          A {thing.kind}; {BY[thing.by]} <Ago instant={thing.removedAt} />
          {thing.reason && `: “${thing.reason}”`}
        </Typography>
      </div>
      {thing.can.restore && (
        <Button variant="outlined" loading={restore.isPending} onClick={() => restore.mutate()}>
          Bring back
        </Button>
      )}
    </Stack>
  );
}
