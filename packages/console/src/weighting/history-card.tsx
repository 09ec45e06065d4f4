import {
  Box,
  Button,
  Card,
  LinearProgress,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  Typography,
} from '@mui/material';
import type { Weighting } from '@gather-lane/client';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { Ago } from '../common/time';
import { percent } from './numbers';
import { sayDuration } from '@gather-lane/words';

const STATES: Record<Weighting['state'], string> = {
  'in-force': 'in force',
  'building': 'being built',
  'retired': 'until lately',
  'past': 'past',
  'cancelled': 'cancelled',
  'failed': 'failed',
};

/** Every weighting that ever was: who, when, what, and what it did. */
export function HistoryCard({ weightings, onBack }: { weightings: Weighting[]; onBack: (id: number) => void }) {
  return (
    <Card component="section" aria-label="History" sx={{ p: 2 }}>
      <Typography variant="h2">History</Typography>
      <Box sx={{ overflowX: 'auto' }}>
        <Table size="small">
          <TableHead>
            <TableRow>
              {['Version', 'State', 'Adopted', 'Half-life', 'Base', 'Weights', 'Stayed', 'Note', ''].map((head) => (
                <TableCell key={head}>{head}</TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {weightings.map((each) => (
              <TableRow key={each.id} sx={{ '& td': { verticalAlign: 'top' } }}>
                <TableCell>{each.id}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap', fontWeight: each.state === 'in-force' ? 700 : 400 }}>
                  {STATES[each.state]}
                </TableCell>
                <TableCell>
                  <Ago instant={each.createdAt} /> by {each.by}
                </TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{sayDuration(each.halfLifeMs)}</TableCell>
                <TableCell>{each.base}</TableCell>
                <TableCell>
                  {Object.entries(each.weights)
                    .map(([kind, weight]) => `${kind} ${weight}`)
                    .join(', ')}
                </TableCell>
                <TableCell title="How much of the first pages of a sample of viewers was the same afterwards">
                  {each.effect?.change ? percent(each.effect.change.kept) : '–'}
                </TableCell>
                <TableCell sx={{ overflowWrap: 'anywhere' }}>{each.note}</TableCell>
                <TableCell>
                  {(each.state === 'retired' || each.state === 'past') && (
                    <Button onClick={() => onBack(each.id)}>Go back</Button>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Box>
    </Card>
  );
}

/** How far a weighting is that is being built. */
export function Building({ weighting }: { weighting: Weighting }) {
  const queryClient = useQueryClient();
  const tell = useNotice();
  const cancel = useMutation({
    mutationFn: async () =>
      unwrap(
        await api.DELETE('/v1/operator/weightings/{weighting}', { params: { path: { weighting: weighting.id } } }),
      ),
    onSuccess: () => tell('Cancelled: feeds go on as they are.'),
    onError: (error) => tell(errorText(error), 'error'),
    onSettled: () => queryClient.invalidateQueries({ queryKey: ['weightings'] }),
  });
  const { phase, built, toBuild, secondsLeft } = weighting.progress!;
  const copying = phase === 'copying' && toBuild;
  return (
    <Card sx={{ p: 2 }} role="status">
      <Stack direction="row" sx={{ gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Box sx={{ flex: '1 1 280px' }}>
          <Typography sx={{ mb: 0.75 }}>
            Weighting {weighting.id} is being built: {phase}
            {copying ? `, ${built.toLocaleString('en-GB')} of ${toBuild.toLocaleString('en-GB')} posts` : ''}
            {copying && secondsLeft !== null ? `, about ${secondsLeft} s left` : ''}. Feeds are served from the old one.
          </Typography>
          <LinearProgress {...(copying && { variant: 'determinate', value: Math.min(100, (100 * built) / toBuild) })} />
        </Box>
        <Button loading={cancel.isPending} onClick={() => cancel.mutate()}>
          Cancel it
        </Button>
      </Stack>
    </Card>
  );
}
