import {
  Alert,
  Box,
  Button,
  Card,
  Link,
  Skeleton,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  Typography,
} from '@mui/material';
import type { Stats } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { useSession } from '../session/session';
import { PostsPerDay } from './posts-per-day';

/** What the service holds, and where to go from here. */
export function OverviewPage() {
  const stats = useQuery({
    queryKey: ['stats'],
    refetchInterval: 10_000,
    queryFn: async () => unwrap(await api.GET('/v1/operator/stats')),
  });
  const locked = isForOperator(stats.error);
  return (
    <Stack sx={{ gap: 3 }}>
      <Typography variant="h1">Overview</Typography>
      {locked && (
        <OperatorOnly title="The counts are for the operator">
          Give the operator key to see what is in the tables, and to act as any user.
        </OperatorOnly>
      )}
      {stats.isError && !locked && <Failed error={stats.error} retry={() => void stats.refetch()} />}
      {!locked && !stats.isError && <Counts stats={stats.data} />}
      <NextSteps />
    </Stack>
  );
}

function Counts({ stats }: { stats: Stats | undefined }) {
  const kinds = ['users', 'posts', 'follows', 'comments'] as const;
  return (
    <>
      {stats?.reading && (
        <Alert severity="info">
          The rules of reading changed: texts are read anew, {stats.reading.done.toLocaleString('en-GB')} of{' '}
          {stats.reading.total.toLocaleString('en-GB')} so far. Feeds are served meanwhile; hashtags and mentions come
          back as it goes.
        </Alert>
      )}
      <Box sx={{ display: 'grid', gridTemplateColumns: { xs: 'repeat(2, 1fr)', sm: 'repeat(4, 1fr)' }, gap: 1.5 }}>
        {kinds.map((kind) => (
          <Card key={kind} sx={{ p: 2 }}>
            <Typography variant="h1" component="p" sx={{ fontVariantNumeric: 'tabular-nums' }}>
              {stats ? stats.counts[kind].toLocaleString('en-GB') : <Skeleton width="60%" />}
            </Typography>
            <Typography color="text.secondary">{kind}</Typography>
          </Card>
        ))}
      </Box>
      <Box sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr', md: '3fr 2fr' }, gap: 1.5 }}>
        <Card sx={{ p: 2 }}>
          <Typography variant="h2">Posts a day</Typography>
          {stats ? <PostsPerDay days={stats.postsPerDay} /> : <Skeleton height={160} />}
        </Card>
        <Card sx={{ p: 2 }}>
          <Typography variant="h2">Widely followed</Typography>
          {stats ? <WidelyFollowed people={stats.widelyFollowed} /> : <Skeleton height={160} />}
        </Card>
      </Box>
      {stats && (
        <Typography variant="body2" color="text.secondary">
          Weighting {stats.weighting.id} is in force: half-life {stats.weighting.halfLifeMs / 3_600_000} h, base{' '}
          {stats.weighting.base}
          {Object.entries(stats.weighting.weights).map(([kind, weight]) => `, ${kind} ${weight}`)}. PostgreSQL{' '}
          {stats.database.version}.
        </Typography>
      )}
    </>
  );
}

function WidelyFollowed({ people }: { people: Stats['widelyFollowed'] }) {
  if (people.length === 0) return <Typography color="text.secondary">Nobody follows anybody yet.</Typography>;
  return (
    <Table size="small">
      <TableHead>
        <TableRow>
          <TableCell sx={{ pl: 0 }}>Who</TableCell>
          <TableCell align="right">Followers</TableCell>
          <TableCell align="right">Posts</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {people.map((person) => (
          <TableRow key={person.id} sx={{ '&:last-child td': { border: 0 } }}>
            <TableCell sx={{ pl: 0 }}>
              <Link component={RouterLink} to={`/users/@${person.handle}`}>
                @{person.handle}
              </Link>
            </TableCell>
            <TableCell align="right">{person.followers}</TableCell>
            <TableCell align="right">{person.posts}</TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

function NextSteps() {
  const { session, about, actAs } = useSession();
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Next
      </Typography>
      <Stack component="ul" sx={{ m: 0, pl: 2.5, gap: 0.75 }}>
        {about?.demo && (
          <li>
            Act as somebody of the demo:{' '}
            {about.demo.users.map(({ handle, who }) => (
              <Button
                key={handle}
                onClick={() => void actAs(handle)}
                disabled={session?.handle === handle}
                title={who}
                variant="outlined"
                sx={{ mr: 0.75, my: 0.25 }}
              >
                @{handle}
              </Button>
            ))}
          </li>
        )}
        <li>
          <Link component={RouterLink} to="/feed">
            Read the following feed
          </Link>{' '}
          {session ? `of @${session.handle}` : 'of whoever you act as'}, and{' '}
          <Link component={RouterLink} to="/feed?order=score">
            see why each post stands where it stands
          </Link>
          .
        </li>
        <li>
          Call the same from your app: <Link href="/docs/api">the API</Link>.
        </li>
      </Stack>
    </Card>
  );
}
