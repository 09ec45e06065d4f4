import { Card, Stack, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Job } from '@gather-lane/client';
import { sayDuration } from '@gather-lane/words';
import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { Ago } from '../common/time';
import { Figured, TABLE } from './figure-table';

/** What the service does now and then by itself, at whichever of its processes. */
export function Jobs({ every }: { every: number | false }) {
  const jobs = useQuery({
    queryKey: ['jobs'],
    refetchInterval: every,
    queryFn: async () => unwrap(await api.GET('/v1/operator/jobs')).items,
  });
  if (jobs.isPending) return null;
  return (
    <Stack sx={{ gap: 1 }}>
      <Typography variant="h2">In the background</Typography>
      <Typography color="text.secondary">
        One process at a time does each of these; another takes over within seconds from one that died.
      </Typography>
      {jobs.isError && <Failed error={jobs.error} retry={() => void jobs.refetch()} />}
      {jobs.data && (
        <Card sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="In the background">
          <Table size="small" sx={TABLE}>
            <TableHead>
              <TableRow>
                <TableCell>Does</TableCell>
                <TableCell>State</TableCell>
                <TableCell>Last ended</TableCell>
                <TableCell align="right">Took ms</TableCell>
                <TableCell>Next</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {jobs.data.map((job) => (
                <TableRow key={job.does} hover>
                  <TableCell>{job.does}</TableCell>
                  <State job={job} />
                  <TableCell>{job.endedAt ? <Ago instant={job.endedAt} /> : 'not yet'}</TableCell>
                  <Figured>{took(job)}</Figured>
                  <TableCell>{next(job, jobs.dataUpdatedAt)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Card>
      )}
    </Stack>
  );
}

function State({ job: { heldBy, failures, failedWith } }: { job: Job }) {
  if (heldBy) return <TableCell sx={{ color: 'success.main' }}>under way at {heldBy}</TableCell>;
  if (failures > 0)
    return (
      <TableCell sx={{ color: 'error.main', whiteSpace: 'normal !important', minWidth: 220 }}>
        failed {failures === 1 ? 'once' : `${failures} times`}: {failedWith}
      </TableCell>
    );
  return <TableCell>waiting</TableCell>;
}

const took = ({ heldBy, begunAt, endedAt }: Job): string =>
  heldBy || !begunAt || !endedAt ? '' : (Date.parse(endedAt) - Date.parse(begunAt)).toLocaleString('en-GB');

function next({ heldBy, dueAt }: Job, now: number): string {
  if (heldBy) return '';
  const seconds = Math.ceil((Date.parse(dueAt) - now) / 1000);
  return seconds <= 0 ? 'now' : `in ${sayDuration(seconds * 1000)}`;
}
