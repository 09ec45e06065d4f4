import { Button, CircularProgress, Stack, Typography } from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { Link as RouterLink, useNavigate, useSearchParams } from 'react-router';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { useSession } from '../session/session';
import { takeBegun } from './providers';

/** Where a provider sends the browser back to: ends the sign-in that was begun here. */
export function ProviderPage() {
  const [parameters] = useSearchParams();
  const { signedIn } = useSession();
  const navigate = useNavigate();
  const begun = useRef(false);
  const finish = useMutation({
    mutationFn: async () => {
      const sent = { ticket: '', links: false, ...takeBegun() };
      const body = { ticket: sent.ticket, parameters: Object.fromEntries(parameters) };
      if (sent.links) {
        unwrap(await api.POST('/v1/me/identities/finish', { body }));
        return navigate('/account', { replace: true });
      }
      signedIn(unwrap(await api.POST('/v1/provider-sign-ins/finish', { body: { ...body, cookie: true } })));
      return navigate('/feed', { replace: true });
    },
  });
  const { mutate } = finish;
  useEffect(() => {
    // What the provider sent is good once.
    if (begun.current) return;
    begun.current = true;
    mutate();
  }, [mutate]);
  return (
    <Stack sx={{ gap: 2, maxWidth: 560, mx: 'auto' }}>
      <Typography variant="h1">Signing in</Typography>
      {finish.isError ? (
        <>
          <Failed error={finish.error} />
          <Button component={RouterLink} to="/feed" variant="outlined" sx={{ alignSelf: 'start' }}>
            To the feed
          </Button>
        </>
      ) : (
        <CircularProgress aria-label="Signing in" />
      )}
    </Stack>
  );
}
