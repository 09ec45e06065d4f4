import {
  Alert,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Stack,
  TextField,
  Typography,
} from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { errorText } from '../common/states';
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
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          adopt.mutate();
        }}
      >
        <DialogTitle>{earlier === null ? 'Adopt this weighting' : `Go back to version ${earlier}`}</DialogTitle>
        <DialogContent>
          <Stack sx={{ gap: 2, pt: 0.5 }}>
            <Typography>{readNumbers(numbers)}</Typography>
            <Typography color="text.secondary">
              It is built beside the one in force, and feeds are served from the old one until it is done. You can
              cancel it meanwhile, and go back later.
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
            {adopt.isError && <Alert severity="error">{errorText(adopt.error)}</Alert>}
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={adopt.isPending}>
            {earlier === null ? 'Adopt' : 'Go back'}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
