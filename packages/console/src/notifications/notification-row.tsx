import AddReactionOutlined from '@mui/icons-material/AddReactionOutlined';
import AlternateEmail from '@mui/icons-material/AlternateEmailOutlined';
import ChatBubbleOutline from '@mui/icons-material/ChatBubbleOutlineOutlined';
import PersonAddOutlined from '@mui/icons-material/PersonAddOutlined';
import ReplyOutlined from '@mui/icons-material/ReplyOutlined';
import VisibilityOutlined from '@mui/icons-material/VisibilityOutlined';
import { Box, Link, Stack, Typography } from '@mui/material';
import { sayActors, sayActs } from '@gather-lane/words';
import type { Notification } from '@gather-lane/client';
import { Link as RouterLink } from 'react-router';
import { Ago } from '../common/time';
import { Avatar } from '../users/avatar';

const ICONS = {
  followed: PersonAddOutlined,
  commented: ChatBubbleOutline,
  replied: ReplyOutlined,
  reacted: AddReactionOutlined,
  mentioned: AlternateEmail,
  watched: VisibilityOutlined,
} as const;

/** Where it leads: the very comment, the post, or who follows. */
function addressOf({ postId, commentId, actors, target }: Notification): string {
  if (postId === null) return `/users/${actors[0] ? `@${actors[0].handle}` : target.id}`;
  return commentId === null ? `/posts/${postId}` : `/posts/${postId}/comments/${commentId}`;
}

/** One notification: who did what, when, and to what. */
export function NotificationRow({ notification }: { notification: Notification }) {
  const { kind, actors, unseen, at, text } = notification;
  const Icon = ICONS[kind];
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
      <Icon fontSize="small" aria-hidden sx={{ mt: 0.5, color: unseen ? 'secondary.main' : 'text.secondary' }} />
      <Box sx={{ flexGrow: 1, minWidth: 0 }}>
        <Stack direction="row" sx={{ gap: 0.5, mb: 0.25 }}>
          {actors.map(({ id, name, picture }) => (
            <Avatar key={id} name={name} picture={picture} size={22} />
          ))}
        </Stack>
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
      <Stack sx={{ alignItems: 'flex-end', flexShrink: 0 }}>
        <Typography variant="body2" color="text.secondary" noWrap>
          <Ago instant={at} />
        </Typography>
        {unseen && (
          <Typography variant="body2" sx={{ color: 'secondary.main', fontWeight: 650 }}>
            New
          </Typography>
        )}
      </Stack>
    </Stack>
  );
}
