import {
  Box,
  Button,
  Card,
  Link,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { Ago, inUtc } from '../common/time';
import { usePages } from '../common/use-pages';

const PAGE = 20;
type Over = 'day' | 'week';

/** The liveliest hashtags, and all of them by their beginning. */
export function HashtagsPage() {
  return (
    <Box>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Hashtags
      </Typography>
      <Box sx={{ display: 'grid', gap: 3, alignItems: 'start', gridTemplateColumns: { md: '1fr 1fr' } }}>
        <Lively />
        <All />
      </Box>
    </Box>
  );
}

function Lively() {
  const [over, setOver] = useState<Over>('day');
  const lively = useQuery({
    queryKey: ['lively', over],
    queryFn: async () => unwrap(await api.GET('/v1/hashtags/lively', { params: { query: { over } } })),
    refetchInterval: 60_000,
  });
  return (
    <Stack component="section" aria-label="Liveliest" sx={{ gap: 1.5 }}>
      <Stack direction="row" sx={{ alignItems: 'center', gap: 1 }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          Liveliest
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={over}
          aria-label="Over"
          onChange={(_, next: Over | null) => next && setOver(next)}
        >
          <ToggleButton value="day">Day</ToggleButton>
          <ToggleButton value="week">Week</ToggleButton>
        </ToggleButtonGroup>
      </Stack>
      {lively.isPending && <LoadingPosts count={1} />}
      {lively.isError && <Failed error={lively.error} retry={() => void lively.refetch()} />}
      {lively.data && lively.data.items.length === 0 && (
        <Empty title="Quiet so far">Nobody used a hashtag within a {over}, or the list was not made yet.</Empty>
      )}
      {lively.data && lively.data.items.length > 0 && (
        <Card>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell>Hashtag</TableCell>
                <TableCell align="right">People</TableCell>
                <TableCell align="right">Posts</TableCell>
                <TableCell>Stands at</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {lively.data.items.map(({ hashtag, shown, lively: { people, posts, laneTime } }) => (
                <TableRow key={hashtag}>
                  <TableCell sx={{ overflowWrap: 'anywhere' }}>
                    <HashtagLink hashtag={hashtag} shown={shown} />
                  </TableCell>
                  <TableCell align="right">{people}</TableCell>
                  <TableCell align="right">{posts}</TableCell>
                  <TableCell>{inUtc(laneTime)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Card>
      )}
      {lively.data?.madeAt && (
        <Typography variant="body2" color="text.secondary">
          As of <Ago instant={lively.data.madeAt} />. Each person counts once, with their latest post; twice as many are
          worth one half-life.
        </Typography>
      )}
    </Stack>
  );
}

function All() {
  const [beginning, setBeginning] = useState('');
  const q = beginning.trim();
  const { list, items } = usePages(['hashtags', q], async (from, signal) =>
    unwrap(await api.GET('/v1/hashtags', { params: { query: { q, limit: PAGE, ...from } }, signal })),
  );
  return (
    <Stack component="section" aria-label="All hashtags" sx={{ gap: 1.5 }}>
      <Typography variant="h2">All</Typography>
      <TextField
        label="Begins with"
        size="small"
        value={beginning}
        onChange={(event) => setBeginning(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 60 } }}
      />
      {list.isPending && <LoadingPosts count={1} />}
      {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
      {list.isSuccess && items.length === 0 && (
        <Empty title="None begins so">
          {q === '' ? 'A post with a # in it makes the first.' : 'Try fewer letters.'}
        </Empty>
      )}
      {items.length > 0 && (
        <Card component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
          {items.map(({ hashtag, shown, tallies }) => (
            <Stack
              component="li"
              direction="row"
              key={hashtag}
              sx={{
                'px': 2,
                'py': 0.75,
                'gap': 2,
                'alignItems': 'center',
                '&:not(:last-of-type)': { borderBottom: 1, borderColor: 'divider' },
              }}
            >
              <Box sx={{ flexGrow: 1, minWidth: 0, overflowWrap: 'anywhere' }}>
                <HashtagLink hashtag={hashtag} shown={shown} />
              </Box>
              <Typography variant="body2" color="text.secondary" noWrap>
                {tallies.posts.toLocaleString('en-GB')} {tallies.posts === 1 ? 'post' : 'posts'} by {tallies.people}{' '}
                {tallies.people === 1 ? 'person' : 'people'}
              </Typography>
            </Stack>
          ))}
        </Card>
      )}
      {list.hasNextPage && (
        <Button variant="outlined" loading={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
          Load more
        </Button>
      )}
    </Stack>
  );
}

const HashtagLink = ({ hashtag, shown }: { hashtag: string; shown: string }) => (
  <Link component={RouterLink} to={`/hashtags/${encodeURIComponent(hashtag)}`}>
    #{shown}
  </Link>
);
