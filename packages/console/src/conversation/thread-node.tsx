import { Box, Button, Stack } from '@mui/material';
import type { Comment } from '@gather-lane/client';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { usePages } from '../common/use-pages';
import { useSession } from '../session/session';
import { AnswerForm } from './answer-form';
import { CommentRow } from './comment-row';

/** How many replies are there at once; the rest unfolds. */
export const FIRST_REPLIES = 2;
const PAGE = 20;

interface Props {
  readonly comment: Comment;
  /** The first of its replies, which are there from the start. */
  readonly first: readonly Comment[];
  /** Whether the address names it. */
  readonly named?: boolean;
}

/** A comment with what stands under it, folded beyond the first replies, and its answer box in place. */
export function ThreadNode({ comment, first, named = false }: Props) {
  const { session } = useSession();
  const [answering, setAnswering] = useState(false);
  const [unfolded, setUnfolded] = useState(false);
  const rest = comment.tallies.below - first.length;
  return (
    <Box sx={{ borderLeft: 2, borderColor: named ? 'secondary.main' : 'divider', pl: { xs: 1, sm: 1.5 } }}>
      <CommentRow comment={comment} named={named} onAnswer={session ? () => setAnswering(true) : undefined} />
      {answering && (
        <Box sx={{ my: 1 }}>
          <AnswerForm
            post={comment.postId}
            to={comment}
            onDone={() => {
              setAnswering(false);
              setUnfolded(true);
            }}
            onCancel={() => setAnswering(false)}
          />
        </Box>
      )}
      <Stack sx={{ gap: 1, mt: comment.tallies.below > 0 ? 1 : 0 }}>
        {unfolded ? (
          <Replies comment={comment} />
        ) : (
          first.map((reply) => <ThreadNode key={reply.id} comment={reply} first={[]} />)
        )}
        {!unfolded && rest > 0 && (
          <Button size="small" sx={{ alignSelf: 'start' }} onClick={() => setUnfolded(true)}>
            {first.length > 0
              ? `${rest} more ${rest === 1 ? 'reply' : 'replies'}`
              : `Show ${rest} ${rest === 1 ? 'reply' : 'replies'}`}
          </Button>
        )}
      </Stack>
    </Box>
  );
}

/** All replies to a comment, page by page. */
function Replies({ comment: { id } }: { comment: Comment }) {
  const { session } = useSession();
  const { list, items } = usePages(['replies', id, session?.id], async (from) => {
    const query = { replies: FIRST_REPLIES, limit: PAGE, ...from };
    return unwrap(await api.GET('/v1/comments/{comment}/replies', { params: { path: { comment: id }, query } }));
  });
  return (
    <>
      {items.map((reply) => (
        <ThreadNode key={reply.id} comment={reply} first={reply.replies?.items ?? []} />
      ))}
      {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
      {(list.isPending || list.hasNextPage) && (
        <Button
          size="small"
          sx={{ alignSelf: 'start' }}
          loading={list.isFetching}
          onClick={() => void list.fetchNextPage()}
        >
          More replies
        </Button>
      )}
    </>
  );
}
