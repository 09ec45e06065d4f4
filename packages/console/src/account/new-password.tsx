import { TextField } from '@mui/material';

interface Props {
  readonly value: string;
  readonly onChange: (password: string) => void;
  /** What becomes of sessions. */
  readonly ends: string;
  readonly autoFocus?: boolean;
}

/** A new password, with what it has to be. */
export function NewPassword({ value, onChange, ends, autoFocus = false }: Props) {
  return (
    <TextField
      label="New password"
      type="password"
      autoComplete="new-password"
      helperText={`10 characters or more. ${ends}`}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      required
      autoFocus={autoFocus}
      slotProps={{ htmlInput: { minLength: 10, maxLength: 200 } }}
    />
  );
}
