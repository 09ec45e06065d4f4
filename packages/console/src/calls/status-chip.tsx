import { Chip } from '@mui/material';

/** What a call was answered: a status, or that it was cut off. */
export function StatusChip({ status }: { status: number | null }) {
  const color = status === null || status >= 500 ? 'error' : status >= 400 ? 'warning' : 'success';
  return (
    <Chip
      size="small"
      variant="outlined"
      color={color}
      label={status ?? 'cut off'}
      sx={{ fontVariantNumeric: 'tabular-nums' }}
    />
  );
}
