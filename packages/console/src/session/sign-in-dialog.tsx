import { Alert, Button, Chip, Link, Stack, TextField, Typography } from '@mui/material';
import type { About, Session } from '@gather-lane/client';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { goToProvider, useProviders } from '../account/providers';
import { api, unwrap } from '../api';
import { FormDialog } from '../common/form-dialog';
import { errorText } from '../common/states';

interface Props {
  readonly handle: string;
  readonly demo: About['demo'];
  readonly onDone: (session: Session) => void;
  readonly onClose: () => void;
}

/** Asks for handle and password; in the demo it offers the people whom it introduces. */
export function SignInDialog({ handle, demo, onDone, onClose }: Props) {
  const [login, setLogin] = useState(handle);
  const [password, setPassword] = useState('');
  const signIn = useMutation({
    mutationFn: async (as: { login: string; password: string }) =>
      unwrap(await api.POST('/v1/sessions', { body: { ...as, cookie: true } })),
    onSuccess: onDone,
  });
  const providers = useProviders();
  const elsewhere = useMutation({ mutationFn: (provider: string) => goToProvider(provider, false) });
  return (
    <FormDialog
      title="Sign in"
      does="Sign in"
      doing={signIn}
      onSubmit={() => signIn.mutate({ login, password })}
      onClose={onClose}
    >
      {demo && (
        <div>
          <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
            This is the demo: choose somebody, or type a handle; the password of all is <code>{demo.password}</code>.
          </Typography>
          <Stack direction="row" sx={{ gap: 1, flexWrap: 'wrap' }}>
            {demo.users.map((user) => (
              <Chip
                key={user.handle}
                label={`@${user.handle}: ${user.who}`}
                variant="outlined"
                onClick={() => signIn.mutate({ login: user.handle, password: demo.password })}
              />
            ))}
          </Stack>
        </div>
      )}
      <TextField
        label="Handle or e-mail"
        value={login}
        onChange={(e) => setLogin(e.target.value)}
        required
        autoComplete="username"
        autoFocus={handle === ''}
      />
      <TextField
        label="Password"
        type="password"
        value={password}
        onChange={(e) => setPassword(e.target.value)}
        required
        autoComplete="current-password"
        autoFocus={handle !== ''}
      />
      <Link href="/reset-password" sx={{ alignSelf: 'start' }} variant="body2">
        Forgot your password?
      </Link>
      {providers.data?.map(({ name, title }) => (
        <Button key={name} variant="outlined" loading={elsewhere.isPending} onClick={() => elsewhere.mutate(name)}>
          Sign in through {title}
        </Button>
      ))}
      {elsewhere.isError && <Alert severity="error">{errorText(elsewhere.error)}</Alert>}
    </FormDialog>
  );
}
