import { Button, Chip, Stack, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink, useParams } from 'react-router';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { Ago } from '../common/time';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { StatusChip } from './status-chip';
import { TraceView } from './trace-view';

/** One call that was made, whoever made it. */
export function TracePage() {
  const { trace: id = '' } = useParams();
  const found = useQuery({
    queryKey: ['trace', id],
    staleTime: Infinity,
    queryFn: async () => unwrap(await api.GET('/v1/operator/traces/{trace}', { params: { path: { trace: id } } })),
  });
  const locked = isForOperator(found.error);
  const trace = found.data;
  return (
    <Stack sx={{ gap: 2 }}>
      <Button component={RouterLink} to="/activity" sx={{ alignSelf: 'start' }}>
        ← Activity
      </Button>
      {found.isPending && <LoadingPosts count={2} />}
      {locked && <OperatorOnly title="What calls did is for the operator">It shows rows of everybody.</OperatorOnly>}
      {found.isError && !locked && <Failed error={found.error} retry={() => void found.refetch()} />}
      {trace && (
        <>
          <Stack sx={{ gap: 0.5 }}>
            <Typography variant="h1" sx={{ overflowWrap: 'anywhere' }}>
              {trace.method} {trace.route}
            </Typography>
            <Stack direction="row" sx={{ gap: 1, alignItems: 'center', flexWrap: 'wrap' }}>
              <StatusChip status={trace.status} />
              {trace.problem && <Chip size="small" variant="outlined" label={trace.problem} />}
              {trace.rehearsed && <Chip size="small" variant="outlined" color="secondary" label="rolled back" />}
              <Typography color="text.secondary" sx={{ overflowWrap: 'anywhere' }}>
                {trace.path} · as {trace.caller.handle ? `@${trace.caller.handle}` : trace.caller.kind} ·{' '}
                {trace.ms.toFixed(1)} ms · <Ago instant={trace.startedAt} />
              </Typography>
            </Stack>
            <Typography variant="caption" color="text.secondary" sx={{ overflowWrap: 'anywhere' }}>
              Gather-Trace {trace.id} · trace-id {trace.traceId}
            </Typography>
          </Stack>
          <TraceView trace={trace} />
        </>
      )}
    </Stack>
  );
}
