import { Box, Button, Stack, Tab, Tabs, Tooltip, Typography } from '@mui/material';
import type { FeedItem, User } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { api, unwrap } from '../api';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { usePages } from '../common/use-pages';
import { inUtc } from '../common/time';
import { FieldValues } from '../fields/field-values';
import { PostCard } from '../posts/post-card';
import { useSession } from '../session/session';
import { Avatar } from './avatar';
import { DistanceButtons } from './distance-buttons';
import { FollowButton } from './follow-button';
import { ProfileForm } from './profile-form';
import { UserList } from './user-list';

const TABS = ['posts', 'followers', 'following'] as const;
type TabName = (typeof TABS)[number];

/** Somebody's profile, their posts, and whom they know. */
export function ProfilePage() {
  const { user: reference = '', tab: named } = useParams();
  const { session } = useSession();
  const tab: TabName = TABS.find((name) => name === named) ?? 'posts';
  const user = useQuery({
    queryKey: ['user', reference, session?.id],
    queryFn: async () => unwrap(await api.GET('/v1/users/{user}', { params: { path: { user: reference } } })),
  });
  return (
    <Box sx={{ maxWidth: 720, mx: 'auto' }}>
      {user.isPending && <LoadingPosts count={1} />}
      {user.isError && <Failed error={user.error} retry={() => void user.refetch()} />}
      {user.data && (
        <>
          <Header user={user.data} />
          <Tabs value={tab} sx={{ mb: 2, borderBottom: 1, borderColor: 'divider' }}>
            {TABS.map((name) => (
              <Tab
                key={name}
                value={name}
                component={RouterLink}
                to={`/users/@${user.data.handle}${name === 'posts' ? '' : `/${name}`}`}
                label={`${user.data.tallies[name]} ${name}`}
              />
            ))}
          </Tabs>
          <Listed key={tab} user={user.data} tab={tab} />
        </>
      )}
    </Box>
  );
}

/** What their posts drew lately, in one line; nothing where nothing drew. */
function DrawLine({ draw: { value, tier } }: { draw: User['draw'] }) {
  if (value === 0) return null;
  return (
    <Tooltip title="What the posts of the last seven days drew, in doublings: the latest count most">
      <Typography component="p" variant="body2" tabIndex={0} sx={{ mt: 0.5, display: 'inline-block' }}>
        <Box component="span" sx={{ color: 'secondary.main', fontWeight: 650 }}>
          {tier}
        </Box>{' '}
        · draws {value > 0 ? '+' : '−'}
        {Math.abs(value).toFixed(1)} lately
      </Typography>
    </Tooltip>
  );
}

function Header({ user }: { user: User }) {
  const [editing, setEditing] = useState(false);
  if (editing) return <ProfileForm user={user} onDone={() => setEditing(false)} />;
  return (
    <Stack direction="row" sx={{ gap: 2, alignItems: 'start', mb: 1, flexWrap: 'wrap' }}>
      <Avatar name={user.name} picture={user.picture} size={64} />
      <Box sx={{ flex: '1 1 240px', minWidth: 0 }}>
        <Typography variant="h1" sx={{ overflowWrap: 'anywhere' }}>
          {user.name}
        </Typography>
        <Typography color="text.secondary">
          @{user.handle} · since {inUtc(user.createdAt)}
          {user.moderator && ' · moderator'}
          {user.relation?.followsYou && ' · follows you'}
          {user.audience === 'signed-in' && ' · shown to who is signed in only'}
        </Typography>
        <DrawLine draw={user.draw} />
        {user.bio && (
          <Typography sx={{ mt: 1, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>{user.bio}</Typography>
        )}
        <FieldValues table="users" values={user.fields} />
      </Box>
      {!user.relation?.blocked && <FollowButton user={user} />}
      <DistanceButtons user={user} />
      {user.can.edit && (
        <Stack direction="row" sx={{ gap: 1 }}>
          <Button variant="outlined" onClick={() => setEditing(true)}>
            Edit profile
          </Button>
          <Button component={RouterLink} to="/account" variant="outlined">
            Account
          </Button>
        </Stack>
      )}
    </Stack>
  );
}

function Listed({ user, tab }: { user: User; tab: TabName }) {
  const { session } = useSession();
  const path = { user: user.id };
  const { list, items } = usePages(
    ['of-user', user.id, tab, session?.id],
    async (query): Promise<{ items: (FeedItem | User)[]; next: string | null }> => {
      const params = { path, query };
      if (tab === 'posts') return unwrap(await api.GET('/v1/users/{user}/posts', { params }));
      return tab === 'followers'
        ? unwrap(await api.GET('/v1/users/{user}/followers', { params }))
        : unwrap(await api.GET('/v1/users/{user}/following', { params }));
    },
  );
  const nothing = { posts: 'has not posted yet', followers: 'has no followers yet', following: 'follows nobody yet' }[
    tab
  ];
  return (
    <Stack sx={{ gap: 1.5 }}>
      {list.isPending && <LoadingPosts count={3} />}
      {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
      {list.isSuccess && items.length === 0 && <Empty title={`@${user.handle} ${nothing}`} />}
      {tab === 'posts'
        ? items.map((post) => <PostCard key={post.id} post={post as FeedItem} />)
        : items.length > 0 && <UserList users={items as User[]} />}
      {list.hasNextPage && (
        <Button variant="outlined" loading={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
          Load more
        </Button>
      )}
    </Stack>
  );
}
