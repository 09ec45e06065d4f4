import { Alert, Button, Stack, TextField, Typography } from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { NewPassword } from './new-password';
import { useSession } from '../session/session';

/** Asks for a link to set a new password; with the link's token behind #, sets it. */
export function ResetPasswordPage() {
  const [token] = useState(() => /^#token=([\w-]+)$/.exec(window.location.hash)?.[1] ?? null);
  return (
    <Stack sx={{ gap: 2, maxWidth: 420, mx: 'auto' }}>
      <Typography variant="h1">{token ? 'Set a new password' : 'Forgot your password?'}</Typography>
      {token ? <SetPassword token={token} /> : <AskForLink />}
    </Stack>
  );
}

function AskForLink() {
  const [email, setEmail] = useState('');
  const ask = useMutation({
    mutationFn: async () => unwrap(await api.POST('/v1/password-resets', { body: { email } })),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    ask.mutate();
  };
  if (ask.isSuccess)
    return (
      <Alert severity="success" variant="outlined">
        If {email} belongs to an account, a link is on its way. It works once, for 30 minutes. In the demo it arrives in
        the mailbox.
      </Alert>
    );
  return (
    <Stack component="form" onSubmit={submit} sx={{ gap: 2 }}>
      <TextField
        label="E-mail of your account"
        type="email"
        autoComplete="email"
        value={email}
        onChange={(event) => setEmail(event.target.value)}
        required
        autoFocus
      />
      {ask.isError && <Alert severity="error">{errorText(ask.error)}</Alert>}
      <Button type="submit" variant="contained" loading={ask.isPending} sx={{ alignSelf: 'start' }}>
        Send a link
      </Button>
    </Stack>
  );
}

function SetPassword({ token }: { token: string }) {
  const [password, setPassword] = useState('');
  const tell = useNotice();
  const { askSignIn } = useSession();
  const navigate = useNavigate();
  const set = useMutation({
    mutationFn: async () => unwrap(await api.POST('/v1/password-resets/redeem', { body: { token, password } })),
    onSuccess: async () => {
      tell('The password is changed: sign in with it.');
      await navigate('/feed', { replace: true });
      askSignIn();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    set.mutate();
  };
  return (
    <Stack component="form" onSubmit={submit} sx={{ gap: 2 }}>
      <NewPassword value={password} onChange={setPassword} ends="Every session ends." autoFocus />
      {set.isError && <Alert severity="error">{errorText(set.error)}</Alert>}
      <Button type="submit" variant="contained" loading={set.isPending} sx={{ alignSelf: 'start' }}>
        Set it
      </Button>
    </Stack>
  );
}
