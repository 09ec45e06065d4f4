import { Alert, Box, Button, FormControlLabel, Link, Stack, Switch, Typography } from '@mui/material';
import type { OwnershipCheck } from '@gather-lane/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { Empty, errorText, Failed, LoadingPosts } from '../common/states';
import { Ago } from '../common/time';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { Matrix } from './matrix';
import { RefusedCard } from './refused-card';

const KEY = ['ownership'];

/** Who may do what: every route tried as everybody, and what was tried on other people's things lately. */
export function OwnershipPage() {
  const queryClient = useQueryClient();
  const latest = useQuery({
    queryKey: KEY,
    queryFn: async (): Promise<OwnershipCheck | null> => {
      const reply = await api.GET('/v1/operator/ownership-checks/latest');
      return reply.response.status === 404 ? null : unwrap(reply);
    },
  });
  const run = useMutation({
    mutationFn: async () => unwrap(await api.POST('/v1/operator/ownership-checks', { body: {} })),
    onSuccess: (result) => queryClient.setQueryData(KEY, result),
  });
  const locked = isForOperator(latest.error);
  return (
    <Stack sx={{ gap: 3 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Box sx={{ flex: '1 1 320px' }}>
          <Typography variant="h1">Ownership</Typography>
          <Typography color="text.secondary">
            Every route, tried as everybody on throw-away users: what its rule expects, what really happened, and
            whether what is the owner’s stayed as it was.
          </Typography>
        </Box>
        {!locked && (
          <Button variant="contained" loading={run.isPending} onClick={() => run.mutate()}>
            {latest.data ? 'Check again' : 'Check now'}
          </Button>
        )}
      </Stack>
      {latest.isPending && <LoadingPosts count={2} />}
      {locked && <OperatorOnly title="The check is for the operator">It makes users and calls as them.</OperatorOnly>}
      {latest.isError && !locked && <Failed error={latest.error} retry={() => void latest.refetch()} />}
      {run.isError && <Alert severity="error">{errorText(run.error)}</Alert>}
      {run.isPending && (
        <Alert severity="info" variant="outlined">
          More than a thousand calls are being made: this takes some seconds.
        </Alert>
      )}
      {latest.data === null && !run.isPending && (
        <Empty title="Not checked since the service started">
          Check now, or in a pipeline: <code>gather-lane check ownership --junit</code>. See{' '}
          <Link href="/docs">the documentation</Link>.
        </Empty>
      )}
      {latest.data && <Result result={latest.data} />}
      {!locked && !latest.isPending && <RefusedCard />}
    </Stack>
  );
}

function Result({ result }: { result: OwnershipCheck }) {
  const [onlyFaults, setOnlyFaults] = useState(false);
  const { routes, faults, calls, endedAt } = result;
  const shown = onlyFaults
    ? routes.filter(({ faults: wrong, cells }) => wrong.length > 0 || cells.some(({ fault }) => fault))
    : routes;
  return (
    <Stack sx={{ gap: 1.5 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Alert severity={faults === 0 ? 'success' : 'error'} variant="outlined" sx={{ flex: '1 1 320px' }}>
          {faults === 0
            ? `Everybody met what the rules say, and no row changed that should not: ${routes.length} routes, ${calls} calls, `
            : `${faults} faults in ${routes.length} routes, ${calls} calls, `}
          <Ago instant={endedAt} />.
        </Alert>
        <FormControlLabel
          control={<Switch checked={onlyFaults} onChange={(event) => setOnlyFaults(event.target.checked)} />}
          label="Faults only"
        />
      </Stack>
      <Typography variant="body2" color="text.secondary">
        Outlined in colour: let in. ✎ what is the owner’s changed. – not tried, for it would change the service itself.
        A 422 or 409 was let in, and then refused for what was sent. Each says more when it is pointed at or reached by
        keyboard.
      </Typography>
      {shown.length > 0 ? <Matrix routes={shown} /> : <Empty title="No route with a fault" />}
    </Stack>
  );
}
