import { mdiArrowLeft, mdiClose, mdiImagePlusOutline } from '@mdi/js';
import { Alert, Box, Button, IconButton, Stack, TextField } from '@mui/material';
import type { Picture } from '@gather-lane/client';
import { useMutation } from '@tanstack/react-query';
import { useRef } from 'react';
import { Icon } from '../common/icon';
import { errorText } from '../common/states';
import { pathOf } from './pictures';
import { uploadPicture } from './upload';

const MOST = 6;

interface Props {
  readonly media: readonly Picture[];
  readonly onChange: (media: Picture[]) => void;
}

/** Chooses, describes, orders and removes the pictures of a post. Each is uploaded as it is chosen. */
export function PicturePicker({ media, onChange }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const add = useMutation({
    mutationFn: async (files: File[]) => {
      const added = [...media];
      for (const file of files.slice(0, MOST - media.length)) {
        added.push(await uploadPicture(file));
        onChange([...added]);
      }
    },
  });
  const swap = (i: number) =>
    onChange(media.map((each, j) => (j === i ? media[i - 1]! : j === i - 1 ? media[i]! : each)));
  return (
    <Stack sx={{ gap: 1 }}>
      {media.map((picture, i) => (
        <Stack key={picture.id} direction="row" sx={{ gap: 1, alignItems: 'center' }}>
          <Box
            component="img"
            src={pathOf(picture.sizes[0]!.url)}
            alt=""
            sx={{ width: 64, height: 48, objectFit: 'cover', borderRadius: 1, border: 1, borderColor: 'divider' }}
          />
          <TextField
            label={`What picture ${i + 1} shows`}
            placeholder="For who does not see it"
            value={picture.alt}
            onChange={(event) =>
              onChange(media.map((each) => (each === picture ? { ...each, alt: event.target.value } : each)))
            }
            fullWidth
            slotProps={{ htmlInput: { maxLength: 1000 } }}
          />
          <IconButton
            size="small"
            disabled={i === 0}
            onClick={() => swap(i)}
            aria-label={`Move picture ${i + 1} forward`}
          >
            <Icon outline={mdiArrowLeft} fontSize="small" />
          </IconButton>
          <IconButton
            size="small"
            onClick={() => onChange(media.filter((each) => each !== picture))}
            aria-label={`Remove picture ${i + 1}`}
          >
            <Icon outline={mdiClose} fontSize="small" />
          </IconButton>
        </Stack>
      ))}
      {add.isError && <Alert severity="error">{errorText(add.error)}</Alert>}
      <input
        ref={input}
        type="file"
        accept="image/jpeg,image/png,image/webp"
        multiple
        hidden
        onChange={(event) => {
          add.mutate([...(event.target.files ?? [])]);
          event.target.value = '';
        }}
      />
      {media.length < MOST && (
        <Button
          startIcon={<Icon outline={mdiImagePlusOutline} />}
          loading={add.isPending}
          onClick={() => input.current?.click()}
          sx={{ alignSelf: 'start' }}
        >
          Add a picture
        </Button>
      )}
    </Stack>
  );
}
