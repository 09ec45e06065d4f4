import {
  Alert,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Stack,
  type DialogProps,
} from '@mui/material';
import type { FormEvent, ReactNode } from 'react';
import { errorText } from './states';

interface Props {
  readonly title: string;
  readonly children: ReactNode;
  /** What it does, as its button says. */
  readonly does: string;
  readonly dangerous?: boolean;
  readonly keeps?: string;
  /** Whether the way out is where the keyboard begins: for a question without a field. */
  readonly keepsFirst?: boolean;
  readonly maxWidth?: DialogProps['maxWidth'];
  /** What is under way or went wrong. */
  readonly doing: { readonly isPending: boolean; readonly isError: boolean; readonly error: unknown };
  readonly onSubmit: () => void;
  readonly onClose: () => void;
}

/** A dialog that asks for something and does it: what went wrong stands above its buttons, and nothing typed is lost. */
export function FormDialog({
  title,
  children,
  does,
  dangerous = false,
  keeps = 'Cancel',
  keepsFirst = false,
  maxWidth = 'xs',
  doing,
  onSubmit,
  onClose,
}: Props) {
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onSubmit();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth={maxWidth}>
      <form onSubmit={submit}>
        <DialogTitle>{title}</DialogTitle>
        <DialogContent>
          <Stack sx={{ gap: 2, pt: 0.5 }}>
            {children}
            {doing.isError && <Alert severity="error">{errorText(doing.error)}</Alert>}
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose} autoFocus={keepsFirst}>
            {keeps}
          </Button>
          <Button type="submit" color={dangerous ? 'error' : 'primary'} variant="contained" loading={doing.isPending}>
            {does}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
