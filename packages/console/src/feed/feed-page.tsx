import type { FeedOrder } from '@gather-lane/client';
import {
  Box,
  Button,
  FormControlLabel,
  Stack,
  Switch,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { lazy, Suspense } from 'react';
import { useSearchParams } from 'react-router';
import { api, unwrap } from '../api';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { usePages } from '../common/use-pages';
import { Composer } from '../posts/composer';
import { PostCard } from '../posts/post-card';
import { useSession } from '../session/session';
import { EmptyFeed } from './empty-feed';
import { NewerBanner } from './newer-banner';

// The chart's packages come when they are looked at.
const InspectionPanel = lazy(async () => ({ default: (await import('./inspection-panel')).InspectionPanel }));

const PAGE = 20;

/** The following feed of whoever the console acts as. */
export function FeedPage() {
  const { session, askSignIn } = useSession();
  const [parameters, setParameters] = useSearchParams();
  const order: FeedOrder = parameters.get('order') === 'score' ? 'score' : 'recent';
  const closely = parameters.has('closely');
  const show = (changes: Record<string, string | null>) => {
    const next = new URLSearchParams(parameters);
    for (const [name, value] of Object.entries(changes))
      if (value === null) next.delete(name);
      else next.set(name, value);
    setParameters(next);
  };
  return (
    <Box sx={{ maxWidth: closely ? undefined : 720, mx: 'auto' }}>
      <Stack direction="row" sx={{ mb: 2, gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Typography variant="h1" sx={{ flexGrow: 1 }}>
          Following feed
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={order}
          aria-label="Order"
          onChange={(_, next: FeedOrder | null) => next && show({ order: next === 'recent' ? null : next })}
        >
          <ToggleButton value="recent">Newest first</ToggleButton>
          <ToggleButton value="score">By lane time</ToggleButton>
        </ToggleButtonGroup>
        {session && (
          <FormControlLabel
            control={<Switch size="small" checked={closely} onChange={() => show({ closely: closely ? null : '' })} />}
            label="Look closely"
          />
        )}
      </Stack>
      {session ? (
        <Box
          sx={{
            display: 'grid',
            gap: 2,
            alignItems: 'start',
            gridTemplateColumns: closely ? { xs: 'minmax(0, 1fr)', md: 'minmax(0, 1fr) minmax(0, 1fr)' } : '1fr',
          }}
        >
          {/* First, so that on a phone it is not below the whole page of posts; at the right where there is room. */}
          {closely && (
            <Box sx={{ gridColumn: { md: 2 }, gridRow: { md: 1 } }}>
              <Suspense fallback={<LoadingPosts count={1} />}>
                <InspectionPanel viewer={session.id} order={order} />
              </Suspense>
            </Box>
          )}
          <Box sx={{ gridColumn: { md: 1 }, gridRow: { md: 1 } }}>
            <FollowingFeed order={order} viewer={session.id} />
          </Box>
        </Box>
      ) : (
        <Empty title="Nobody is signed in">
          A following feed belongs to somebody. Choose whom to act as in the bar above, or{' '}
          <Button onClick={() => askSignIn()} sx={{ verticalAlign: 'baseline' }}>
            sign in
          </Button>
        </Empty>
      )}
    </Box>
  );
}

function FollowingFeed({ order, viewer }: { order: FeedOrder; viewer: string }) {
  const {
    list: feed,
    pages: [top],
    items: posts,
  } = usePages(['feed', viewer, order], async (from, signal) =>
    unwrap(await api.GET('/v1/feeds/following', { params: { query: { order, limit: PAGE, ...from } }, signal })),
  );
  const first = top?.first;
  return (
    <Stack sx={{ gap: 1.5 }}>
      <Composer />
      {first && <NewerBanner first={first} onShow={() => void feed.refetch()} />}
      {feed.isPending && <LoadingPosts />}
      {feed.isError && posts.length === 0 && <Failed error={feed.error} retry={() => void feed.refetch()} />}
      {feed.isSuccess && posts.length === 0 && <EmptyFeed viewer={viewer} />}
      {posts.map((post) => (
        <PostCard key={post.id} post={post} />
      ))}
      {posts.length > 0 && feed.isError && <Failed error={feed.error} retry={() => void feed.fetchNextPage()} />}
      {feed.hasNextPage && !feed.isError && (
        <Button
          variant="outlined"
          size="medium"
          loading={feed.isFetchingNextPage}
          onClick={() => void feed.fetchNextPage()}
        >
          Load more
        </Button>
      )}
      {posts.length > 0 && !feed.hasNextPage && (
        <Typography color="text.secondary" sx={{ textAlign: 'center', py: 1 }}>
          This is the end of the feed.
        </Typography>
      )}
    </Stack>
  );
}
