import { Box, Card, Link, Typography } from '@mui/material';
import type { User } from '@gather-lane/client';
import { Link as RouterLink } from 'react-router';
import { Avatar } from './avatar';
import { FollowButton } from './follow-button';

/** People, each with a way to follow them. @param why says of some why they are shown */
export function UserList({ users, why }: { users: User[]; why?: ReadonlyMap<string, string> }) {
  return (
    <Card component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
      {users.map((user) => (
        <Box
          component="li"
          key={user.id}
          sx={{
            'display': 'flex',
            'gap': 2,
            'alignItems': 'center',
            'px': 2,
            'py': 1.25,
            '&:not(:last-of-type)': { borderBottom: 1, borderColor: 'divider' },
          }}
        >
          <Avatar name={user.name} picture={user.picture} size={36} />
          <Box sx={{ minWidth: 0, flexGrow: 1 }}>
            <Link
              component={RouterLink}
              to={`/users/@${user.handle}`}
              color="text.primary"
              sx={{ fontWeight: 650, overflowWrap: 'anywhere' }}
            >
              {user.name}
            </Link>
            <Typography variant="body2" color="text.secondary" noWrap>
              @{user.handle}
              {user.bio && ` · ${user.bio}`}
            </Typography>
            {why?.has(user.id) && <Typography variant="body2">{why.get(user.id)}</Typography>}
          </Box>
          <FollowButton user={user} />
        </Box>
      ))}
    </Card>
  );
}
