import { Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { Empty } from '../common/states';
import { UserList } from '../users/user-list';

/** The way out of an empty feed: somebody to follow. */
export function EmptyFeed() {
  const people = useQuery({
    queryKey: ['people-to-follow'],
    queryFn: async () => unwrap(await api.GET('/v1/users', { params: { query: { limit: 12 } } })).items,
  });
  return (
    <>
      <Empty title="Your feed is empty">
        It holds the posts of those whom you follow, and your own. Follow somebody, or write the first post.
      </Empty>
      {people.data && people.data.length > 0 && (
        <>
          <Typography variant="h2" sx={{ mt: 2 }}>
            People here
          </Typography>
          <UserList users={people.data} />
        </>
      )}
    </>
  );
}
