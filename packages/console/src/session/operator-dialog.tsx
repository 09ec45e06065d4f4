import { DialogContentText, TextField } from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { FormDialog } from '../common/form-dialog';

/** Asks for the operator key. */
export function OperatorDialog({ onKey, onClose }: { onKey: (key: string) => Promise<void>; onClose: () => void }) {
  const [key, setKey] = useState('');
  const open = useMutation({ mutationFn: onKey, onSuccess: onClose });
  return (
    <FormDialog
      title="Operator key"
      does="Use it"
      doing={open}
      onSubmit={() => open.mutate(key.trim())}
      onClose={onClose}
    >
      <DialogContentText>
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
    </FormDialog>
  );
}
