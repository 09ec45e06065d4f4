import {
  Alert,
  Box,
  Card,
  Chip,
  Collapse,
  Link,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableRow,
  Typography,
} from '@mui/material';
import type { CallOutcomes } from '@gather-lane/client';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { StatusChip } from './status-chip';

type Outcome = CallOutcomes['outcomes'][number];

/** What came back: status, headers, body. */
export function OutcomePanel({ outcome: { says, status, headers, body, trace } }: { outcome: Outcome }) {
  const [open, setOpen] = useState(false);
  if (says !== null) return <Alert severity="info">{says}</Alert>;
  const text =
    body === null || body === undefined ? '' : typeof body === 'string' ? body : JSON.stringify(body, null, 2);
  return (
    <Card sx={{ p: 2, minWidth: 0 }} role="region" aria-label="Reply">
      <Stack direction="row" sx={{ gap: 1, alignItems: 'center', flexWrap: 'wrap', mb: 1 }}>
        <StatusChip status={status} />
        {trace?.rehearsed && <Chip size="small" variant="outlined" color="secondary" label="rolled back" />}
        {trace && (
          <Typography color="text.secondary">
            {trace.ms.toFixed(1)} ms · {trace.statements.length + trace.moreStatements} statements ·{' '}
            <Link component={RouterLink} to={`/calls/${trace.id}`}>
              trace …{trace.id.slice(-6)}
            </Link>
          </Typography>
        )}
      </Stack>
      {text === '' ? (
        <Typography color="text.secondary">No body.</Typography>
      ) : (
        <Box
          component="pre"
          tabIndex={0}
          sx={{
            m: 0,
            maxHeight: 380,
            overflow: 'auto',
            fontSize: 12.5,
            whiteSpace: 'pre-wrap',
            overflowWrap: 'anywhere',
          }}
        >
          {text}
        </Box>
      )}
      <Link component="button" variant="body2" sx={{ mt: 1 }} onClick={() => setOpen(!open)} aria-expanded={open}>
        {open ? 'Hide headers' : `${Object.keys(headers).length} headers`}
      </Link>
      <Collapse in={open} unmountOnExit>
        <Table
          size="small"
          sx={{ '& td': { py: 0.25, px: 0.5, fontSize: 12.5, overflowWrap: 'anywhere', verticalAlign: 'top' } }}
        >
          <TableBody>
            {Object.entries(headers).map(([name, value]) => (
              <TableRow key={name}>
                <TableCell sx={{ whiteSpace: 'nowrap', color: 'text.secondary' }}>{name}</TableCell>
                <TableCell>{value}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Collapse>
    </Card>
  );
}
