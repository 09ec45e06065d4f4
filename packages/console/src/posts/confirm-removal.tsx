import { DialogContentText, TextField } from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { FormDialog } from '../common/form-dialog';

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
  return (
    <FormDialog
      title={`${verb} this ${what}?`}
      does={verb}
      dangerous
      keeps="Keep it"
      keepsFirst={!moderating}
      doing={remove}
      onSubmit={() => remove.mutate()}
      onClose={onClose}
    >
      <DialogContentText>
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
    </FormDialog>
  );
}
