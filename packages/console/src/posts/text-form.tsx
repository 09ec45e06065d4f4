import { Alert, Button, Stack, TextField, Typography } from '@mui/material';
import { useState, type FormEvent, type KeyboardEvent } from 'react';
import { errorText } from '../common/states';
import { useCharacters } from '../common/text';

interface Props {
  readonly label: string;
  readonly action: string;
  readonly limit: number;
  readonly initial?: string;
  readonly minRows?: number;
  /** What is typed is kept unless this succeeds. */
  readonly onSubmit: (text: string) => Promise<unknown>;
  readonly onCancel?: () => void;
}

/** A text with a limit in characters as people count them. Nothing typed is lost when saving fails. */
export function TextForm({ label, action, limit, initial = '', minRows = 2, onSubmit, onCancel }: Props) {
  const [text, setText] = useState(initial);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const count = useCharacters(text);
  const sendable = text.trim() !== '' && count <= limit && text !== initial && !busy;
  const submit = async (event?: FormEvent) => {
    event?.preventDefault();
    if (!sendable) return;
    setBusy(true);
    setError(null);
    try {
      await onSubmit(text);
      setText(initial);
    } catch (failure) {
      setError(failure);
    } finally {
      setBusy(false);
    }
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) void submit();
    if (event.key === 'Escape') onCancel?.();
  };
  return (
    <Stack component="form" onSubmit={(event) => void submit(event)} sx={{ gap: 1 }}>
      <TextField
        label={label}
        multiline
        minRows={minRows}
        maxRows={14}
        fullWidth
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={onKeyDown}
        error={count > limit}
        autoFocus={onCancel !== undefined}
      />
      {error !== null && <Alert severity="error">{errorText(error)}</Alert>}
      <Stack direction="row" sx={{ alignItems: 'center', gap: 1 }}>
        <Typography
          variant="caption"
          color={count > limit ? 'error' : 'text.secondary'}
          sx={{ flexGrow: 1 }}
          aria-live="polite"
        >
          {count > 0 && `${count} of ${limit} characters`}
          {count > limit && `: ${count - limit} too many`}
        </Typography>
        {onCancel && <Button onClick={onCancel}>Cancel</Button>}
        <Button type="submit" variant="contained" disabled={!sendable} loading={busy}>
          {action}
        </Button>
      </Stack>
    </Stack>
  );
}
