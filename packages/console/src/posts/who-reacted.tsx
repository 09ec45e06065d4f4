import { Button, Dialog, DialogActions, DialogContent, DialogTitle, Link, Stack, Typography } from '@mui/material';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { usePages } from '../common/use-pages';
import { Ago } from '../common/time';
import { useSession } from '../session/session';

/** Who reacted to a post and how, newest first. */
export function WhoReacted({ post, onClose }: { post: string; onClose: () => void }) {
  const { about } = useSession();
  const labels = new Map(about?.reactions.map(({ name, label }) => [name, label]));
  const { list, items } = usePages(['reactions', post], async (from) =>
    unwrap(await api.GET('/v1/posts/{post}/reactions', { params: { path: { post }, query: { limit: 50, ...from } } })),
  );
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <DialogTitle>Who reacted</DialogTitle>
      <DialogContent>
        {list.isPending && <LoadingPosts count={1} />}
        {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
        {list.isSuccess && items.length === 0 && <Typography color="text.secondary">Nobody yet.</Typography>}
        <Stack component="ul" sx={{ m: 0, p: 0, listStyle: 'none', gap: 0.75 }}>
          {items.map(({ user, kind, createdAt }) => (
            <Stack component="li" direction="row" key={user.id} sx={{ gap: 1, alignItems: 'baseline' }}>
              <Link component={RouterLink} to={`/users/@${user.handle}`} noWrap sx={{ flexGrow: 1 }}>
                {user.name} @{user.handle}
              </Link>
              <Typography variant="body2">{labels.get(kind) ?? kind}</Typography>
              <Typography variant="body2" color="text.secondary" noWrap>
                <Ago instant={createdAt} />
              </Typography>
            </Stack>
          ))}
        </Stack>
        {list.hasNextPage && (
          <Button loading={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            More
          </Button>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
