import { Box, Button, Stack, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import type { FeedOrder } from '@gather-lane/client';
import { ServiceProblem } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink, useParams, useSearchParams } from 'react-router';
import { api, unwrap } from '../api';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { usePages } from '../common/use-pages';
import { PostCard } from '../posts/post-card';
import { useSession } from '../session/session';

const PAGE = 20;

/** The posts under a hashtag, in both orders, with its numbers. */
export function HashtagPage() {
  const { hashtag: name = '' } = useParams();
  const { session } = useSession();
  const [parameters, setParameters] = useSearchParams();
  const order: FeedOrder = parameters.get('order') === 'score' ? 'score' : 'recent';
  const path = { hashtag: name };
  const hashtag = useQuery({
    queryKey: ['hashtag', name, session?.id],
    queryFn: async () => unwrap(await api.GET('/v1/hashtags/{hashtag}', { params: { path } })),
  });
  const unknown = hashtag.error instanceof ServiceProblem && hashtag.error.status === 404;
  return (
    <Box sx={{ maxWidth: 720, mx: 'auto' }}>
      <Stack direction="row" sx={{ mb: 2, gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Box sx={{ flexGrow: 1, minWidth: 0 }}>
          <Typography variant="h1" sx={{ overflowWrap: 'anywhere' }}>
            #{hashtag.data?.shown ?? name}
          </Typography>
          <Typography color="text.secondary">
            {hashtag.data
              ? `${count(hashtag.data.tallies.posts, 'post')} by ${count(hashtag.data.tallies.people, 'person', 'people')}`
              : '\u00a0'}
          </Typography>
        </Box>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={order}
          aria-label="Order"
          onChange={(_, next: FeedOrder | null) => next && setParameters(next === 'recent' ? {} : { order: next })}
        >
          <ToggleButton value="recent">Newest first</ToggleButton>
          <ToggleButton value="score">By lane time</ToggleButton>
        </ToggleButtonGroup>
      </Stack>
      {unknown ? (
        <Empty title="No post that you may see has it">
          Write one in your{' '}
          <Button component={RouterLink} to="/feed">
            feed
          </Button>
          , or look at{' '}
          <Button component={RouterLink} to="/hashtags">
            all hashtags
          </Button>
          .
        </Empty>
      ) : hashtag.isError ? (
        <Failed error={hashtag.error} retry={() => void hashtag.refetch()} />
      ) : (
        <Posts name={name} order={order} />
      )}
    </Box>
  );
}

const count = (n: number, one: string, many = `${one}s`): string =>
  `${n.toLocaleString('en-GB')} ${n === 1 ? one : many}`;

function Posts({ name, order }: { name: string; order: FeedOrder }) {
  const { session } = useSession();
  const path = { hashtag: name };
  const { list, items } = usePages(['hashtag posts', name, order, session?.id], async (from) =>
    unwrap(await api.GET('/v1/hashtags/{hashtag}/posts', { params: { path, query: { order, limit: PAGE, ...from } } })),
  );
  return (
    <Stack sx={{ gap: 1.5 }}>
      {list.isPending && <LoadingPosts />}
      {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
      {list.isSuccess && items.length === 0 && (
        <Empty title="Nothing for you">All of its posts are by people whom you mute or block.</Empty>
      )}
      {items.map((post) => (
        <PostCard key={post.id} post={post} />
      ))}
      {list.hasNextPage && (
        <Button
          variant="outlined"
          size="medium"
          loading={list.isFetchingNextPage}
          onClick={() => void list.fetchNextPage()}
        >
          Load more
        </Button>
      )}
    </Stack>
  );
}
