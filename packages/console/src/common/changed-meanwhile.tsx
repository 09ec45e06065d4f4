import { Alert, AlertTitle, Box, Typography } from '@mui/material';
import type { Edit } from './use-edit';

/** What of a thing is shown when it differs: how it is called, and how to read it. */
export type Readable<T> = readonly (readonly [name: string, read: (thing: T) => string])[];

/** What somebody else changed since an edit began. Beside it one saves one's own version on top, or takes theirs. */
export function ChangedMeanwhile<T>({ edit: { base, newest }, parts }: { edit: Edit<T>; parts: Readable<T> }) {
  if (newest === null) return null;
  const changed = parts.filter(([, read]) => read(base) !== read(newest));
  return (
    <Alert severity="warning">
      <AlertTitle>It changed since you began to edit, and nothing of yours is saved yet</AlertTitle>
      {changed.length === 0 && 'Nothing that you can see is different: save yours.'}
      <Box component="dl" sx={{ m: 0 }}>
        {changed.map(([name, read]) => (
          <Box key={name} sx={{ mb: 0.5 }}>
            <Typography component="dt" variant="body2" color="text.secondary">
              {name}
            </Typography>
            <Typography
              component="dd"
              variant="body2"
              sx={{
                m: 0,
                textDecoration: 'line-through',
                opacity: 0.7,
                whiteSpace: 'pre-wrap',
                overflowWrap: 'anywhere',
              }}
            >
              {read(base) || 'none'}
            </Typography>
            <Typography component="dd" variant="body2" sx={{ m: 0, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>
              {read(newest) || 'none'}
            </Typography>
          </Box>
        ))}
      </Box>
    </Alert>
  );
}

/** The developer's own fields of a thing, to be read. */
export const ownParts = <T extends { readonly fields: Record<string, unknown> }>(
  fields: readonly { readonly name: string }[],
): Readable<T> => fields.map(({ name }) => [name, (thing) => String(thing.fields[name] ?? '')]);
