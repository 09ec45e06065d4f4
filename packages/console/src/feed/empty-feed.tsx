import { Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { Empty } from '../common/states';
import { UserList } from '../users/user-list';

/** The way out of an empty feed: somebody to follow, and why. */
export function EmptyFeed({ viewer }: { viewer: string }) {
  const near = useQuery({
    queryKey: ['near', viewer],
    queryFn: async () => unwrap(await api.GET('/v1/follows/near', { params: { query: { limit: 12 } } })).items,
  });
  return (
    <>
      <Empty title="Your feed is empty">
        It holds the posts of those whom you follow, and your own. Follow somebody, or write the first post.
      </Empty>
      {near.data && near.data.length > 0 && (
        <>
          <Typography variant="h2" sx={{ mt: 2 }}>
            Whom you might follow
          </Typography>
          <UserList
            users={near.data.map(({ user }) => user)}
            why={new Map(near.data.map(({ user, sentence }) => [user.id, sentence]))}
          />
        </>
      )}
    </>
  );
}
