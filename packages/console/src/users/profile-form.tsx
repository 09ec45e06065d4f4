import { Alert, Button, Card, FormControlLabel, Stack, Switch, TextField } from '@mui/material';
import type { Picture, User } from '@gather-lane/client';
import { useMutation } from '@tanstack/react-query';
import { useRef, useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { api, unwrap } from '../api';
import { ChangedMeanwhile, ownParts, type Readable } from '../common/changed-meanwhile';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useEdit } from '../common/use-edit';
import { FieldInputs } from '../fields/field-inputs';
import { changedValues, toTyped } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { uploadPicture } from '../pictures/upload';
import { useRefreshLists } from '../posts/use-changes';
import { Avatar } from './avatar';

const PARTS: Readable<User> = [
  ['Name', ({ name }) => name],
  ['Bio', ({ bio }) => bio],
  ['Handle', ({ handle }) => `@${handle}`],
  ['Picture', ({ picture }) => picture ?? ''],
  ['Shown to', ({ audience }) => (audience === 'signed-in' ? 'who is signed in' : 'everyone')],
];

/** Edits one's own profile. */
export function ProfileForm({ user: latest, onDone }: { user: User; onDone: () => void }) {
  const { edit, save: saveEdit } = useEdit<User>(
    async () => unwrap(await api.GET('/v1/users/{user}', { params: { path: { user: latest.id } } })),
    latest,
  );
  const user = edit!.base;
  const [name, setName] = useState(user.name);
  const [bio, setBio] = useState(user.bio);
  const [handle, setHandle] = useState(user.handle);
  const [hidden, setHidden] = useState(user.audience === 'signed-in');
  const [picture, setPicture] = useState<Picture | 'none' | null>(null);
  const navigate = useNavigate();
  const fields = useWritableFields('users', 'edit');
  const before = toTyped(fields, user.fields);
  const [typed, setTyped] = useState(before);
  const tell = useNotice();
  const refresh = useRefreshLists();
  const save = useMutation({
    mutationFn: async () => {
      const own = fields.length > 0 && { fields: changedValues(fields, before, typed) };
      const audience = hidden ? ('signed-in' as const) : ('everyone' as const);
      const body = {
        ...(name !== user.name && { name }),
        ...(bio !== user.bio && { bio: bio || null }),
        ...(audience !== user.audience && { audience }),
        ...(handle !== user.handle && { handle }),
        ...(picture !== null && { picture: picture === 'none' ? null : picture.id }),
        ...own,
      };
      await saveEdit(async (headers) => {
        const saved = unwrap(
          await api.PATCH('/v1/users/{user}', { params: { path: { user: user.id } }, body, headers }),
        );
        // The page is named by the handle.
        if (saved.handle !== user.handle) await navigate(`/users/@${saved.handle}`, { replace: true });
      });
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
        <TextField
          label="Handle"
          value={handle}
          onChange={(e) => setHandle(e.target.value)}
          required
          helperText={handle === user.handle ? '' : `@${user.handle} is kept for you for 30 days.`}
        />
        <PictureField user={user} picture={picture} onChange={setPicture} />
        <FormControlLabel
          control={<Switch checked={hidden} onChange={(e) => setHidden(e.target.checked)} />}
          label="Show my profile and posts to who is signed in only"
        />
        <FieldInputs fields={fields} typed={typed} onChange={setTyped} />
        {edit!.newest && <ChangedMeanwhile edit={edit!} parts={[...PARTS, ...ownParts<User>(fields)]} />}
        {save.isError && !edit!.newest && <Alert severity="error">{errorText(save.error)}</Alert>}
        <Stack direction="row" sx={{ justifyContent: 'end', gap: 1 }}>
          <Button
            onClick={() => {
              onDone();
              if (edit!.newest) void refresh();
            }}
          >
            {edit!.newest ? 'Keep theirs' : 'Cancel'}
          </Button>
          <Button type="submit" variant="contained" loading={save.isPending}>
            {edit!.newest ? 'Save mine over it' : 'Save'}
          </Button>
        </Stack>
      </Stack>
    </Card>
  );
}

function PictureField({
  user,
  picture,
  onChange,
}: {
  user: User;
  picture: Picture | 'none' | null;
  onChange: (picture: Picture | 'none') => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const upload = useMutation({ mutationFn: uploadPicture, onSuccess: onChange });
  const shown = picture === null ? user.picture : picture === 'none' ? null : picture.sizes[0]!.url;
  return (
    <Stack direction="row" sx={{ gap: 1.5, alignItems: 'center', flexWrap: 'wrap' }}>
      <Avatar name={user.name} picture={shown} size={56} />
      <input
        ref={input}
        type="file"
        accept="image/jpeg,image/png,image/webp"
        hidden
        onChange={(event) => event.target.files?.[0] && upload.mutate(event.target.files[0])}
      />
      <Button loading={upload.isPending} onClick={() => input.current?.click()}>
        Choose a picture
      </Button>
      {shown !== null && <Button onClick={() => onChange('none')}>No picture</Button>}
      {upload.isError && <Alert severity="error">{errorText(upload.error)}</Alert>}
    </Stack>
  );
}
