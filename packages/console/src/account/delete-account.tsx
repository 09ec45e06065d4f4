import { Alert, Button, Stack, TextField, Typography } from '@mui/material';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { writeSession } from '../session/kept-session';
import { Section } from './section';

/** Deletes one's account, with the password. */
export function DeleteAccount({ handle }: { handle: string }) {
  const tell = useNotice();
  const navigate = useNavigate();
  const [proof, setProof] = useState('');
  const me = useQuery({ queryKey: ['me'], queryFn: async () => unwrap(await api.GET('/v1/me')) });
  const hasPassword = me.data?.email !== null;
  const remove = useMutation({
    mutationFn: async () => {
      const body = hasPassword ? { password: proof } : { handle: proof };
      unwrap(await api.DELETE('/v1/users/{user}', { params: { path: { user: me.data!.id } }, body }));
    },
    onSuccess: async () => {
      writeSession(null);
      tell(`@${handle} is deleted. What is left of it is being erased.`);
      await navigate('/');
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    remove.mutate();
  };
  return (
    <Section title="Delete the account">
      <Typography sx={{ mb: 1.5 }}>
        At once nobody sees you or what you posted any more; then it is erased, and cannot be brought back. Where others
        answered a comment of yours, its place stays, without your name or text.
      </Typography>
      <Stack component="form" onSubmit={submit} direction="row" sx={{ gap: 1.5, flexWrap: 'wrap' }}>
        <TextField
          label={hasPassword ? 'Password' : `Your handle, ${handle}`}
          type={hasPassword ? 'password' : 'text'}
          autoComplete="off"
          value={proof}
          onChange={(event) => setProof(event.target.value)}
          required
        />
        <Button type="submit" color="error" variant="contained" loading={remove.isPending}>
          Delete @{handle}
        </Button>
      </Stack>
      {remove.isError && (
        <Alert severity="error" sx={{ mt: 1.5 }}>
          {errorText(remove.error)}
        </Alert>
      )}
    </Section>
  );
}
