import type { OwnField } from '@gather-lane/client';
import { Alert, Button, Stack, TextField, Typography } from '@mui/material';
import { useRef, useState, type FormEvent, type KeyboardEvent, type ReactNode } from 'react';
import { errorText } from '../common/states';
import { useCharacters } from '../common/text';
import { FieldInputs } from '../fields/field-inputs';
import { useMentionSuggestions } from './mention-suggestions';
import { changedValues, isComplete, toTyped, type Values } from '../fields/own-fields';

interface Props {
  readonly label: string;
  readonly action: string;
  readonly limit: number;
  readonly initial?: string;
  readonly minRows?: number;
  /** Fields of the developer's own beside the text, and their values so far. */
  readonly fields?: readonly OwnField[];
  readonly values?: Record<string, unknown>;
  /** What is typed is kept unless this succeeds. It is given the fields that changed. */
  readonly onSubmit: (text: string, fields: Values) => Promise<unknown>;
  readonly onCancel?: () => void;
  /** The post whose conversation it is, for whom one may be about to name. */
  readonly conversation?: string;
  /** What stands beside the text, such as pictures. */
  readonly beside?: ReactNode;
  /** Whether there is something to send without any text. */
  readonly full?: boolean;
  /** Whether what stands beside differs from before. */
  readonly besideDiffers?: boolean;
  /** What somebody else made of it meanwhile, once a save was refused for that: one saves on top of it, or takes theirs. */
  readonly conflict?: ReactNode;
}

/** A text with a limit in characters as people count them. Nothing typed is lost when saving fails. */
export function TextForm({
  label,
  action,
  limit,
  initial = '',
  minRows = 2,
  fields = [],
  values = {},
  onSubmit,
  onCancel,
  conversation,
  beside,
  full = false,
  besideDiffers = false,
  conflict,
}: Props) {
  const [text, setText] = useState(initial);
  const before = toTyped(fields, values);
  const [typed, setTyped] = useState(before);
  const changed = changedValues(fields, before, typed);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const count = useCharacters(text);
  const input = useRef<HTMLTextAreaElement>(null);
  const people = useMentionSuggestions({ text, setText, input, ...(conversation && { conversation }) });
  const differs = text !== initial || besideDiffers || (initial !== '' && Object.keys(changed).length > 0);
  const sendable = (text.trim() !== '' || full) && count <= limit && differs && isComplete(fields, typed) && !busy;
  const submit = async (event?: FormEvent) => {
    event?.preventDefault();
    if (!sendable) return;
    setBusy(true);
    setError(null);
    try {
      await onSubmit(text, changed);
      setText(initial);
      setTyped(before);
    } catch (failure) {
      setError(failure);
    } finally {
      setBusy(false);
    }
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (people.onKeyDown(event)) return;
    if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) void submit();
    if (event.key === 'Escape') onCancel?.();
  };
  return (
    <Stack component="form" onSubmit={(event) => void submit(event)} sx={{ gap: 1 }}>
      <>
        <TextField
          label={label}
          multiline
          minRows={minRows}
          maxRows={14}
          fullWidth
          inputRef={input}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            people.follow();
          }}
          onSelect={people.follow}
          onBlur={people.close}
          onKeyDown={onKeyDown}
          error={count > limit}
          autoFocus={onCancel !== undefined}
          slotProps={{ htmlInput: people.aria }}
        />
        {people.list}
      </>
      {beside}
      <FieldInputs fields={fields} typed={typed} onChange={setTyped} />
      {conflict ?? (error !== null && <Alert severity="error">{errorText(error)}</Alert>)}
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
        {onCancel && <Button onClick={onCancel}>{conflict ? 'Keep theirs' : 'Cancel'}</Button>}
        <Button type="submit" variant="contained" disabled={!sendable} loading={busy}>
          {conflict ? 'Save mine over it' : action}
        </Button>
      </Stack>
    </Stack>
  );
}
