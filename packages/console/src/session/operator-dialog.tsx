import {
  Alert,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogContentText,
  DialogTitle,
  TextField,
} from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { errorText } from '../common/states';

/** Asks for the operator key. */
export function OperatorDialog({ onKey, onClose }: { onKey: (key: string) => Promise<void>; onClose: () => void }) {
  const [key, setKey] = useState('');
  const open = useMutation({ mutationFn: onKey, onSuccess: onClose });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    open.mutate(key.trim());
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <form onSubmit={submit}>
        <DialogTitle>Operator key</DialogTitle>
        <DialogContent>
          <DialogContentText sx={{ mb: 2 }}>
            It stands in <code>operator.key</code> in the service’s data folder, <code>.gather-lane</code> unless told
            otherwise. This browser then sees counts and may act as any user.
          </DialogContentText>
          <TextField
            label="Key"
            type="password"
            value={key}
            onChange={(e) => setKey(e.target.value)}
            required
            fullWidth
            autoFocus
            autoComplete="off"
          />
          {open.isError && (
            <Alert severity="error" sx={{ mt: 2 }}>
              {errorText(open.error)}
            </Alert>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={open.isPending}>
            Use it
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
