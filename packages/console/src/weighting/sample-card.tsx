import { Box, Card, Table, TableBody, TableCell, TableHead, TableRow, Typography, useTheme } from '@mui/material';
import { ScatterChart } from '@mui/x-charts/ScatterChart';
import type { WeightingTrial } from '@gather-lane/client';
import { percent } from './numbers';
import { sayDuration } from '@gather-lane/words';

const HOUR = 3_600_000;

/** What a weighting does to the first pages of a sample of viewers: figures, and lift against age. */
export function SampleCard({ sample }: { sample: NonNullable<WeightingTrial['sample']> }) {
  const theme = useTheme();
  const { change, viewers, points } = sample;
  if (!change)
    return (
      <Card sx={{ p: 2 }}>
        <Typography variant="h2">Over a sample of viewers</Typography>
        <Typography color="text.secondary">Nobody here follows anybody yet.</Typography>
      </Card>
    );
  const age = (ms: number | null) => (ms === null ? '–' : sayDuration(ms));
  const rows = [
    ['Median age of the posts', age(change.now.medianAgeMs), age(change.then.medianAgeMs)],
    ['Share of authors seen', percent(change.now.authorsSeen), percent(change.then.authorsSeen)],
    ['What stays of the page', '', percent(change.kept)],
    ['Rank correlation', '', change.correlation.toFixed(2)],
  ] as const;
  const series = (which: 'now' | 'then') => points.map((post, id) => ({ id, x: post.ageMs / HOUR, y: post[which] }));
  return (
    <Card component="section" aria-label="Over a sample of viewers" sx={{ p: 2 }}>
      <Typography variant="h2">Over the first pages of {viewers} viewers</Typography>
      <Box
        sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr', md: '2fr 3fr' }, gap: 2, alignItems: 'start', mt: 1 }}
      >
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell sx={{ pl: 0 }} />
              <TableCell align="right">Now</TableCell>
              <TableCell align="right">Then</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map(([name, now, then]) => (
              <TableRow key={name}>
                <TableCell sx={{ pl: 0 }}>{name}</TableCell>
                <TableCell align="right">{now}</TableCell>
                <TableCell align="right">{then}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        <Box>
          <Typography variant="body2" color="text.secondary">
            Lift of each post on those pages, in half-lives, against its age in hours
          </Typography>
          <ScatterChart
            height={230}
            series={[
              // Larger than the other, so that it shows where both are at one place.
              { label: 'Now', data: series('now'), markerSize: 4, color: theme.vars!.palette.primary.main },
              { label: 'Then', data: series('then'), markerSize: 2, color: theme.vars!.palette.secondary.main },
            ]}
            xAxis={[{ min: 0, height: 28 }]}
            yAxis={[{ width: 32 }]}
            margin={{ top: 12, bottom: 4, left: 0, right: 12 }}
          />
        </Box>
      </Box>
    </Card>
  );
}
