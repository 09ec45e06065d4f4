import { Card, Typography } from '@mui/material';
import type { ReactNode } from 'react';

/** A part of the account page. */
export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Card component="section" aria-label={title} sx={{ p: 2 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        {title}
      </Typography>
      {children}
    </Card>
  );
}
