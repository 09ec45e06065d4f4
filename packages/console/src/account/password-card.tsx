import { Alert, Button, Stack, TextField } from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useRefreshLists } from '../posts/use-changes';
import { NewPassword } from './new-password';
import { Section } from './section';

/** Changes one's password. */
export function PasswordCard() {
  const tell = useNotice();
  const refresh = useRefreshLists();
  const [current, setCurrent] = useState('');
  const [password, setPassword] = useState('');
  const change = useMutation({
    mutationFn: async () => {
      unwrap(await api.PUT('/v1/me/password', { body: { current, password } }));
      await refresh();
    },
    onSuccess: () => {
      setCurrent('');
      setPassword('');
      tell('The password is changed, and every other session ended.');
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    change.mutate();
  };
  return (
    <Section title="Password">
      <Stack component="form" onSubmit={submit} sx={{ gap: 1.5 }}>
        <TextField
          label="Password so far"
          type="password"
          autoComplete="current-password"
          value={current}
          onChange={(event) => setCurrent(event.target.value)}
          required
        />
        <NewPassword value={password} onChange={setPassword} ends="Every other session ends." />
        {change.isError && <Alert severity="error">{errorText(change.error)}</Alert>}
        <Button type="submit" variant="outlined" loading={change.isPending} sx={{ alignSelf: 'start' }}>
          Change password
        </Button>
      </Stack>
    </Section>
  );
}
