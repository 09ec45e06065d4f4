import { Alert, Box, Button, Card, Skeleton, Stack, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { ServiceProblem, ServiceUnreachable } from '@gather-lane/client';

/** What went wrong, in the words of the service. */
export function errorText(error: unknown): string {
  if (error instanceof ServiceProblem) return error.message;
  if (error instanceof ServiceUnreachable) return 'The service does not answer. Is it still running?';
  return 'Something went wrong in the console.';
}

/** A load that failed, with a way to try again. */
export function Failed({ error, retry }: { error: unknown; retry?: () => void }) {
  return (
    <Alert
      severity="error"
      variant="outlined"
      action={
        retry && (
          <Button color="inherit" onClick={retry}>
            Try again
          </Button>
        )
      }
    >
      {errorText(error)}
    </Alert>
  );
}

/** Where posts will stand. */
export function LoadingPosts({ count = 4 }: { count?: number }) {
  return (
    <Stack sx={{ gap: 1.5 }} role="status" aria-label="Loading">
      {Array.from({ length: count }, (_, i) => (
        <Card key={i} sx={{ p: 2 }}>
          <Skeleton width="35%" />
          <Skeleton />
          <Skeleton width="70%" />
        </Card>
      ))}
    </Stack>
  );
}

/** Nothing here, and what to do about it. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <Box sx={{ py: 4, px: 2, textAlign: 'center', border: '1px dashed', borderColor: 'divider', borderRadius: 1 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      <Typography component="div" color="text.secondary">
        {children}
      </Typography>
    </Box>
  );
}
