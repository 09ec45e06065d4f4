import { Button, Stack, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { usePages } from '../common/use-pages';
import { useSession } from '../session/session';
import { AnswerForm } from './answer-form';
import { FIRST_REPLIES, ThreadNode } from './thread-node';

const PAGE = 20;

const SORTS = { oldest: 'Oldest', newest: 'Newest', liveliest: 'Liveliest' } as const;
type Sort = keyof typeof SORTS;

/** The conversation below a post: those at the top in an order, and below each of them what answers it. */
export function Conversation({ post }: { post: string }) {
  const { session, askSignIn } = useSession();
  const [sort, setSort] = useState<Sort>('oldest');
  const { list, items } = usePages(['comments', post, sort, session?.id], async (from) => {
    const query = { level: 'top' as const, sort, replies: FIRST_REPLIES, limit: PAGE, ...from };
    return unwrap(await api.GET('/v1/posts/{post}/comments', { params: { path: { post }, query } }));
  });
  return (
    <Stack sx={{ gap: 1.5 }} component="section" aria-label="Comments">
      <Stack direction="row" sx={{ alignItems: 'center', flexWrap: 'wrap', gap: 1 }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          Comments
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={sort}
          aria-label="Order of the comments"
          onChange={(_, next: Sort | null) => next && setSort(next)}
        >
          {Object.entries(SORTS).map(([value, name]) => (
            <ToggleButton key={value} value={value}>
              {name}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </Stack>
      {list.isPending && <LoadingPosts count={2} />}
      {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
      {list.isSuccess && items.length === 0 && (
        <Empty title="No comments yet">
          {session ? 'Say the first word below.' : 'Sign in to say the first word.'}
        </Empty>
      )}
      {items.map((comment) => (
        <ThreadNode key={comment.id} comment={comment} first={comment.replies?.items ?? []} />
      ))}
      {list.hasNextPage && (
        <Button variant="outlined" loading={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
          More comments
        </Button>
      )}
      {session ? (
        <AnswerForm post={post} />
      ) : (
        <Button onClick={() => askSignIn()} sx={{ alignSelf: 'start' }}>
          Sign in to comment
        </Button>
      )}
    </Stack>
  );
}
