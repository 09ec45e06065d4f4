import { Alert, Button, Card, Stack, TextField } from '@mui/material';
import type { User } from '@gather-lane/client';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { FieldInputs } from '../fields/field-inputs';
import { changedValues, toTyped } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { useRefreshLists } from '../posts/use-changes';

/** Edits one's own profile. */
export function ProfileForm({ user, onDone }: { user: User; onDone: () => void }) {
  const [name, setName] = useState(user.name);
  const [bio, setBio] = useState(user.bio);
  const fields = useWritableFields('users', 'edit');
  const before = toTyped(fields, user.fields);
  const [typed, setTyped] = useState(before);
  const tell = useNotice();
  const refresh = useRefreshLists();
  const save = useMutation({
    mutationFn: async () => {
      const own = fields.length > 0 && { fields: changedValues(fields, before, typed) };
      const body = { name, bio: bio || null, ...own };
      unwrap(
        await api.PATCH('/v1/users/{user}', {
          params: { path: { user: user.id } },
          body,
          headers: { 'if-match': `"${user.version}"` },
        }),
      );
      await refresh();
    },
    onSuccess: () => {
      tell('Saved.');
      onDone();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate();
  };
  return (
    <Card component="form" onSubmit={submit} sx={{ p: 2, mb: 2 }}>
      <Stack sx={{ gap: 2 }}>
        <TextField label="Name" value={name} onChange={(e) => setName(e.target.value)} required autoFocus />
        <TextField label="Bio" value={bio} onChange={(e) => setBio(e.target.value)} multiline minRows={2} />
        <FieldInputs fields={fields} typed={typed} onChange={setTyped} />
        {save.isError && <Alert severity="error">{errorText(save.error)}</Alert>}
        <Stack direction="row" sx={{ justifyContent: 'end', gap: 1 }}>
          <Button onClick={onDone}>Cancel</Button>
          <Button type="submit" variant="contained" loading={save.isPending}>
            Save
          </Button>
        </Stack>
      </Stack>
    </Card>
  );
}
