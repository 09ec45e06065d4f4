import { TextField, Typography } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { FormDialog } from '../common/form-dialog';
import { readNumbers, type Numbers } from './numbers';

/** Asks why, and adopts: other numbers, or those of an earlier version. */
export function AdoptDialog({
  numbers,
  earlier,
  onClose,
}: {
  numbers: Numbers;
  earlier: number | null;
  onClose: () => void;
}) {
  const queryClient = useQueryClient();
  const [note, setNote] = useState('');
  const [by, setBy] = useState('');
  const adopt = useMutation({
    mutationFn: async () =>
      unwrap(
        await api.POST('/v1/operator/weightings', {
          body: {
            ...(earlier === null
              ? { halfLifeMs: numbers.halfLifeMs, base: numbers.base, weights: numbers.weights }
              : { earlier }),
            note: note.trim(),
            by: by.trim() || 'operator',
          },
        }),
      ),
    onSuccess: async () => {
      await queryClient.invalidateQueries({ queryKey: ['weightings'] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={earlier === null ? 'Adopt this weighting' : `Go back to version ${earlier}`}
      does={earlier === null ? 'Adopt' : 'Go back'}
      maxWidth="sm"
      doing={adopt}
      onSubmit={() => adopt.mutate()}
      onClose={onClose}
    >
      <Typography>{readNumbers(numbers)}</Typography>
      <Typography color="text.secondary">
        It is built beside the one in force, and feeds are served from the old one until it is done. You can cancel it
        meanwhile, and go back later.
      </Typography>
      <TextField
        autoFocus
        label="Why"
        value={note}
        onChange={(event) => setNote(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 400 } }}
      />
      <TextField
        label="Your name, for the history"
        value={by}
        onChange={(event) => setBy(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 60 } }}
      />
    </FormDialog>
  );
}
