import { Box, Link, Typography } from '@mui/material';
import type { Author } from '@gather-lane/client';
import type { ReactNode } from 'react';
import { Link as RouterLink } from 'react-router';
import { Ago } from '../common/time';
import { Avatar } from '../users/avatar';

interface Props {
  readonly author: Author;
  readonly createdAt: string;
  readonly edited: boolean;
  /** Address of the thing itself. */
  readonly to?: string;
  readonly children?: ReactNode;
}

/** Who said it and when: the same above a post and a comment. */
export function Byline({ author, createdAt, edited, to, children }: Props) {
  const when = <Ago instant={createdAt} />;
  return (
    <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap' }}>
      <Avatar name={author.name} picture={author.picture} />
      <Link
        component={RouterLink}
        to={`/users/@${author.handle}`}
        color="text.primary"
        sx={{ fontWeight: 650, overflowWrap: 'anywhere' }}
      >
        {author.name}
      </Link>
      <Typography variant="body2" color="text.secondary">
        @{author.handle} ·{' '}
        {to ? (
          <Link component={RouterLink} to={to} color="inherit">
            {when}
          </Link>
        ) : (
          when
        )}
        {edited && ' · edited'}
      </Typography>
      {children}
    </Box>
  );
}
