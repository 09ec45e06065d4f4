import { Box, Stack, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useNavigate, useParams } from 'react-router';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { Conversation } from '../conversation/conversation';
import { OneThread } from '../conversation/one-thread';
import { useSession } from '../session/session';
import { PostCard } from './post-card';

/** One post with its conversation, or with one comment of it, and its place in the feed of whoever the console acts as. */
export function PostPage() {
  const { post: id = '', comment } = useParams();
  const { session } = useSession();
  const navigate = useNavigate();
  const path = { post: id };
  const post = useQuery({
    queryKey: ['post', id, session?.id],
    queryFn: async () => unwrap(await api.GET('/v1/posts/{post}', { params: { path } })),
  });
  return (
    <Box sx={{ maxWidth: 720, mx: 'auto' }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Post
      </Typography>
      <Stack sx={{ gap: 2 }}>
        {post.isPending && <LoadingPosts count={1} />}
        {post.isError && <Failed error={post.error} retry={() => void post.refetch()} />}
        {post.data && (
          <>
            <PostCard post={post.data} whole={comment === undefined} onDeleted={() => void navigate('/feed')} />
            {comment === undefined ? <Conversation post={id} /> : <OneThread post={id} id={comment} />}
          </>
        )}
      </Stack>
    </Box>
  );
}
