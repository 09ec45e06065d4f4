import { Alert, Button, Dialog, DialogActions, DialogContent, DialogContentText, DialogTitle } from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { errorText } from '../common/states';

/** Asks once more before something is deleted. */
export function ConfirmDelete({
  what,
  onDelete,
  onClose,
}: {
  what: 'post' | 'comment';
  onDelete: () => Promise<unknown>;
  onClose: () => void;
}) {
  const remove = useMutation({ mutationFn: onDelete });
  return (
    <Dialog open onClose={onClose} maxWidth="xs">
      <DialogTitle>Delete this {what}?</DialogTitle>
      <DialogContent>
        <DialogContentText>
          {what === 'post'
            ? 'It leaves every feed at once, with its conversation.'
            : 'It leaves the conversation at once.'}
        </DialogContentText>
        {remove.isError && <Alert severity="error">{errorText(remove.error)}</Alert>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} autoFocus>
          Keep it
        </Button>
        <Button color="error" variant="contained" loading={remove.isPending} onClick={() => remove.mutate()}>
          Delete
        </Button>
      </DialogActions>
    </Dialog>
  );
}
