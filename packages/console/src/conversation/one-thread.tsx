import { Box, Card, Link, Stack, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { useSession } from '../session/session';
import { CommentRow } from './comment-row';
import { ThreadNode } from './thread-node';

/** A comment that the address names, below what it stands under: wherever in the conversation it is. */
export function OneThread({ post, id }: { post: string; id: string }) {
  const { session } = useSession();
  const comment = useQuery({
    queryKey: ['comment', id, session?.id],
    queryFn: async () =>
      unwrap(await api.GET('/v1/comments/{comment}', { params: { path: { comment: id }, query: { context: true } } })),
  });
  return (
    <Card component="section" aria-label="One comment in its thread" sx={{ p: 2 }}>
      <Stack direction="row" sx={{ mb: 1.5, gap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          One comment in its thread
        </Typography>
        <Link component={RouterLink} to={`/posts/${post}`}>
          The whole conversation
        </Link>
      </Stack>
      {comment.isPending && <LoadingPosts count={1} />}
      {comment.isError && <Failed error={comment.error} retry={() => void comment.refetch()} />}
      <Stack sx={{ gap: 1.5 }}>
        {comment.data?.ancestors?.map((above) => (
          <Box key={above.id} sx={{ borderLeft: 2, borderColor: 'divider', pl: { xs: 1, sm: 1.5 } }}>
            <CommentRow comment={above} named={false} onAnswer={undefined} />
          </Box>
        ))}
        {comment.data && <ThreadNode key={id} comment={comment.data} first={[]} named />}
      </Stack>
    </Card>
  );
}
