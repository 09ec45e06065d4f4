import {
  mdiAccountPlusOutline,
  mdiAt,
  mdiMessageOutline,
  mdiEmoticonPlusOutline,
  mdiEyeOutline,
  mdiReply,
} from '@mdi/js';
import { Box, Link, Stack, Typography } from '@mui/material';
import { sayActors, sayActs } from '@gather-lane/words';
import type { Notification } from '@gather-lane/client';
import { Link as RouterLink } from 'react-router';
import { Icon } from '../common/icon';
import { Ago } from '../common/time';
import { Avatar } from '../users/avatar';

const ICONS = {
  followed: mdiAccountPlusOutline,
  commented: mdiMessageOutline,
  replied: mdiReply,
  reacted: mdiEmoticonPlusOutline,
  mentioned: mdiAt,
  watched: mdiEyeOutline,
} as const;

/** Where it leads: the very comment, the post, or who follows. */
function addressOf({ postId, commentId, actors, target }: Notification): string {
  if (postId === null) return `/users/${actors[0] ? `@${actors[0].handle}` : target.id}`;
  return commentId === null ? `/posts/${postId}` : `/posts/${postId}/comments/${commentId}`;
}

/** One notification: who did what, when, and to what. */
export function NotificationRow({ notification }: { notification: Notification }) {
  const { kind, actors, unseen, at, text } = notification;
  return (
    <Stack
      component="li"
      direction="row"
      sx={{
        'gap': 1.5,
        'px': 2,
        'py': 1.25,
        'alignItems': 'flex-start',
        'borderLeft': 3,
        'borderLeftColor': unseen ? 'secondary.main' : 'transparent',
        '&:not(:last-of-type)': { borderBottom: 1, borderBottomColor: 'divider' },
      }}
    >
      <Icon
        outline={ICONS[kind]}
        fontSize="small"
        aria-hidden
        sx={{ mt: 0.5, color: unseen ? 'secondary.main' : 'text.secondary' }}
      />
      <Stack
        direction="row"
        sx={{
          '& > :not(:first-of-type)': { ml: -1, display: { xs: 'none', sm: 'flex' } },
          'width': { xs: 28, sm: 56 },
          'flexShrink': 0,
        }}
      >
        {actors.map(({ id, name, picture }) => (
          <Avatar key={id} name={name} picture={picture} size={26} />
        ))}
      </Stack>
      <Box sx={{ flexGrow: 1, minWidth: 0 }}>
        <Link
          component={RouterLink}
          to={addressOf(notification)}
          color="text.primary"
          underline="hover"
          sx={{ fontWeight: unseen ? 650 : 400, overflowWrap: 'anywhere' }}
        >
          {sayActors(notification)} {sayActs(notification)}
        </Link>
        {text !== '' && (
          <Typography
            variant="body2"
            color="text.secondary"
            sx={{
              display: '-webkit-box',
              WebkitLineClamp: 2,
              WebkitBoxOrient: 'vertical',
              overflow: 'hidden',
              overflowWrap: 'anywhere',
            }}
          >
            {text}
          </Typography>
        )}
      </Box>
      <Typography variant="body2" color="text.secondary" noWrap sx={{ flexShrink: 0, textAlign: 'right' }}>
        {unseen && (
          <Box
            component="span"
            sx={{ color: 'secondary.main', fontWeight: 650, display: { xs: 'block', sm: 'inline' } }}
          >
            New{' '}
          </Box>
        )}
        <Ago instant={at} />
      </Typography>
    </Stack>
  );
}
