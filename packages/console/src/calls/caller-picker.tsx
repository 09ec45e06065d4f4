import { Autocomplete, Box, MenuItem, Stack, TextField, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { api, unwrap } from '../api';
import type { CallerChoice } from './draft';

const KINDS = [
  { as: 'user', name: 'a user' },
  { as: 'blocked', name: 'a user whom the owner blocks' },
  { as: 'nobody', name: 'nobody' },
  { as: 'ended', name: 'a token that has ended' },
  { as: 'operator', name: 'the operator' },
] as const;

/** Who is calling. */
export function CallerPicker({ value, onChange }: { value: CallerChoice; onChange: (value: CallerChoice) => void }) {
  const needsUser = value.as !== 'nobody' && value.as !== 'operator';
  return (
    <Stack direction="row" sx={{ gap: 1, flexWrap: 'wrap' }}>
      <TextField
        select
        label="Called by"
        value={value.as}
        sx={{ minWidth: 170 }}
        onChange={(event) => {
          const as = event.target.value as CallerChoice['as'];
          onChange(as === 'nobody' || as === 'operator' ? { as } : { as, user: value.user ?? '@odile' });
        }}
      >
        {KINDS.map(({ as, name }) => (
          <MenuItem key={as} value={as}>
            {name}
          </MenuItem>
        ))}
      </TextField>
      {needsUser && <UserPicker value={value.user ?? ''} onChange={(user) => onChange({ as: value.as, user })} />}
    </Stack>
  );
}

/** A user by handle, of those that there are. */
export function UserPicker({
  value,
  onChange,
  label = 'User',
}: {
  value: string;
  onChange: (handle: string) => void;
  label?: string;
}) {
  const [text, setText] = useState(value);
  const q = useDeferredValue(text === value ? '' : text.replace(/^@/, ''));
  const people = useQuery({
    queryKey: ['people', q],
    queryFn: async () => unwrap(await api.GET('/v1/users', { params: { query: { q, limit: 50 } } })).items,
  });
  const names = new Map(people.data?.map(({ handle, name }) => [`@${handle}`, name]));
  return (
    <Autocomplete
      freeSolo
      disableClearable
      selectOnFocus
      size="small"
      sx={{ minWidth: 180, flexGrow: 1 }}
      value={value}
      inputValue={text}
      options={[...names.keys()]}
      filterOptions={(options) => options}
      onInputChange={(_, next) => setText(next)}
      onChange={(_, next) => onChange(next)}
      onBlur={() => text !== value && text !== '' && onChange(text.startsWith('@') ? text : `@${text}`)}
      renderOption={({ key, ...props }, handle) => (
        <Box component="li" key={key} {...props} sx={{ display: 'block !important' }}>
          <Typography sx={{ lineHeight: 1.3 }}>{handle}</Typography>
          <Typography variant="caption" color="text.secondary" noWrap component="div">
            {names.get(handle)}
          </Typography>
        </Box>
      )}
      renderInput={(params) => <TextField {...params} label={label} />}
    />
  );
}
