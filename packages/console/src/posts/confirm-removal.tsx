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

interface Props {
  readonly what: 'post' | 'comment';
  /** A moderator, who says why; else the owner. */
  readonly moderating: boolean;
  readonly withhold?: boolean;
  readonly onDone: (reason: string) => Promise<unknown>;
  readonly onClose: () => void;
}

/** Asks once more before something is taken out of sight. */
export function ConfirmRemoval({ what, moderating, withhold = false, onDone, onClose }: Props) {
  const [reason, setReason] = useState('');
  const remove = useMutation({ mutationFn: () => onDone(reason.trim()) });
  const verb = withhold ? 'Withhold' : 'Delete';
  const submit = (event: FormEvent) => {
    event.preventDefault();
    remove.mutate();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <form onSubmit={submit}>
        <DialogTitle>
          {verb} this {what}?
        </DialogTitle>
        <DialogContent>
          <DialogContentText sx={{ mb: moderating ? 2 : 0 }}>
            {what === 'post'
              ? 'It leaves every feed at once, with its conversation.'
              : 'It leaves the conversation at once.'}{' '}
            {withhold
              ? 'A moderator can bring it back at any time.'
              : moderating
                ? 'A moderator can bring it back for 30 days.'
                : 'You can bring it back for 30 days, from your account page.'}
          </DialogContentText>
          {moderating && (
            <TextField
              label="Why"
              helperText="Its author and the other moderators read this."
              value={reason}
              onChange={(event) => setReason(event.target.value)}
              required
              autoFocus
              fullWidth
              slotProps={{ htmlInput: { maxLength: 1000 } }}
            />
          )}
          {remove.isError && <Alert severity="error">{errorText(remove.error)}</Alert>}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose} autoFocus={!moderating}>
            Keep it
          </Button>
          <Button type="submit" color="error" variant="contained" loading={remove.isPending}>
            {verb}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
