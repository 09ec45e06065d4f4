import { Link, Stack, Typography } from '@mui/material';
import { Link as RouterLink } from 'react-router';
import { inUtc } from '../common/time';
import { useSession } from '../session/session';

/** The values of the developer's own fields that somebody is shown; nothing where there are none. */
export function FieldValues({
  table,
  values,
}: {
  table: 'users' | 'posts' | 'comments';
  values: Record<string, unknown>;
}) {
  const { about } = useSession();
  const shown = Object.entries(values).filter(([, value]) => value !== null);
  if (shown.length === 0) return null;
  const kindOf = (name: string) => about?.fields.find((field) => field.table === table && field.name === name)?.kind;
  return (
    <Stack component="dl" direction="row" sx={{ m: 0, my: 0.5, columnGap: 2, rowGap: 0.25, flexWrap: 'wrap' }}>
      {shown.map(([name, value]) => (
        <Typography key={name} component="div" variant="body2" sx={{ overflowWrap: 'anywhere' }}>
          <Typography component="dt" variant="body2" color="text.secondary" sx={{ display: 'inline' }}>
            {name}{' '}
          </Typography>
          <Typography component="dd" variant="body2" sx={{ display: 'inline', m: 0, fontWeight: 600 }}>
            {kindOf(name) === 'user' ? (
              <Link component={RouterLink} to={`/users/${String(value)}`}>
                their profile
              </Link>
            ) : kindOf(name) === 'date-time' ? (
              inUtc(String(value))
            ) : (
              String(value)
            )}
          </Typography>
        </Typography>
      ))}
    </Stack>
  );
}
