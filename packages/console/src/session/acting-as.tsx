import { Autocomplete, Box, Button, Stack, TextField, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useSession } from './session';

interface Option {
  readonly handle: string | null;
  readonly name: string;
}

const NOBODY: Option = { handle: null, name: 'Nobody' };
const labelOf = ({ handle }: Option): string => (handle ? `@${handle}` : 'Nobody');

/** On whose behalf the console calls: any user, or nobody. */
export function ActingAs() {
  const { session, actAs, askSignIn, signOut } = useSession();
  const tell = useNotice();
  const [text, setText] = useState('');
  const [open, setOpen] = useState(false);
  const value: Option = session ?? NOBODY;
  const q = useDeferredValue(text === labelOf(value) ? '' : text);
  const people = useQuery({
    queryKey: ['people', q],
    enabled: open,
    queryFn: async () => unwrap(await api.GET('/v1/users', { params: { query: { q, limit: 100 } } })).items,
  });
  const choose = (option: Option | null) => {
    if (!option || option.handle === value.handle) return;
    if (option.handle === null) void signOut();
    else actAs(option.handle).catch((error: unknown) => tell(errorText(error), 'error'));
  };
  return (
    <Stack direction="row" sx={{ alignItems: 'center', gap: 0.5 }}>
      <Autocomplete<Option, false, true>
        size="small"
        sx={{ width: 150 }}
        disableClearable
        selectOnFocus
        handleHomeEndKeys
        open={open}
        onOpen={() => setOpen(true)}
        onClose={() => setOpen(false)}
        value={value}
        options={[NOBODY, ...(people.data ?? [])]}
        loading={people.isPending}
        getOptionLabel={labelOf}
        getOptionKey={({ handle }) => handle ?? ''}
        isOptionEqualToValue={(a, b) => a.handle === b.handle}
        filterOptions={(options) => options}
        onInputChange={(_, next) => setText(next)}
        onChange={(_, option) => choose(option)}
        renderOption={({ key, ...props }, option) => (
          <Box component="li" key={key} {...props} sx={{ display: 'block !important' }}>
            <Typography sx={{ lineHeight: 1.3 }}>{labelOf(option)}</Typography>
            <Typography variant="caption" color="text.secondary" noWrap component="div">
              {option.handle ? option.name : 'not signed in'}
            </Typography>
          </Box>
        )}
        renderInput={(params) => <TextField {...params} label="Acting as" />}
      />
      {session ? (
        <>
          <Button component={RouterLink} to="/account">
            Account
          </Button>
          <Button onClick={() => void signOut()}>Sign out</Button>
        </>
      ) : (
        <Button onClick={() => askSignIn()}>Sign in</Button>
      )}
    </Stack>
  );
}
