import { Button, Stack, Typography } from '@mui/material';
import { useMutation, useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText, Failed } from '../common/states';
import { Ago, inUtc } from '../common/time';
import { useRefreshLists } from '../posts/use-changes';
import { writeSession } from '../session/kept-session';
import { Section } from './section';

/** Where one is signed in, with a way to end each. */
export function SessionsCard() {
  const tell = useNotice();
  const refresh = useRefreshLists();
  const sessions = useQuery({
    queryKey: ['sessions'],
    queryFn: async () => unwrap(await api.GET('/v1/sessions')).items,
  });
  const end = useMutation({
    mutationFn: async (session: string | null) => {
      if (session === null) unwrap(await api.DELETE('/v1/sessions'));
      else unwrap(await api.DELETE('/v1/sessions/{session}', { params: { path: { session } } }));
      if (session === null) writeSession(null);
      await refresh();
    },
    onSuccess: (_, session) => tell(session === null ? 'Signed out everywhere.' : 'Ended.'),
    onError: (error) => tell(errorText(error), 'error'),
  });
  return (
    <Section title="Signed in">
      {sessions.isError && <Failed error={sessions.error} retry={() => void sessions.refetch()} />}
      <Stack sx={{ gap: 1 }}>
        {sessions.data?.map(({ id, current, acting, inBrowser, renewedAt, expiresAt }) => (
          <Stack key={id} direction="row" sx={{ gap: 2, alignItems: 'center' }}>
            <Typography sx={{ flexGrow: 1 }}>
              {inBrowser ? 'A browser' : 'An app'}
              {current && ', this one'}
              {acting && ', the operator acting as you'}
              <Typography component="span" variant="body2" color="text.secondary">
                {' '}
                · <Ago instant={renewedAt} /> · until {inUtc(expiresAt)}
              </Typography>
            </Typography>
            {!current && (
              <Button loading={end.isPending && end.variables === id} onClick={() => end.mutate(id)}>
                End
              </Button>
            )}
          </Stack>
        ))}
      </Stack>
      <Button variant="outlined" sx={{ mt: 1.5 }} onClick={() => end.mutate(null)}>
        Sign out everywhere
      </Button>
    </Section>
  );
}
