import { TableCell } from '@mui/material';
import type { ReactNode } from 'react';

/** Chooses by one value of a call; an empty one by none. */
export type Choose = (name: string, value: string) => void;

/** How dense tables of figures are. */
export const TABLE = { '& td, & th': { py: 0.5, px: 1, fontSize: 13.5, whiteSpace: 'nowrap' } } as const;

/** A figure in its column. */
export function Figured({ children }: { children: ReactNode }) {
  return (
    <TableCell align="right" sx={{ fontVariantNumeric: 'tabular-nums' }}>
      {children}
    </TableCell>
  );
}
