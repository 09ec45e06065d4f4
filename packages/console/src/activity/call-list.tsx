import { Card, Chip, Link, Table, TableBody, TableCell, TableHead, TableRow } from '@mui/material';
import type { TracedCall } from '@gather-lane/client';
import { Link as RouterLink } from 'react-router';
import { StatusChip } from '../calls/status-chip';
import { Empty } from '../common/states';
import { Ago } from '../common/time';
import { Figured, TABLE, type Choose } from './figure-table';

/** The calls, the latest first; each leads to what it did. */
export function CallList({
  calls,
  filtered,
  choose,
}: {
  calls: readonly TracedCall[];
  filtered: boolean;
  choose: Choose;
}) {
  if (calls.length === 0)
    return (
      <Empty title={filtered ? 'No call fits' : 'No call yet'}>
        {filtered
          ? 'Choose less, or wait: it shows up by itself.'
          : 'Make one, from your app or on the Calls page: it shows up by itself.'}
      </Empty>
    );
  return (
    <Card sx={{ overflow: 'auto', maxHeight: 460 }} tabIndex={0} role="region" aria-label="Calls">
      <Table size="small" stickyHeader sx={TABLE}>
        <TableHead>
          <TableRow>
            <TableCell>When</TableCell>
            <TableCell>Call</TableCell>
            <TableCell>Caller</TableCell>
            <TableCell>Status</TableCell>
            <TableCell align="right">ms</TableCell>
            <TableCell align="right">Statements</TableCell>
            <TableCell align="right">Rows changed</TableCell>
            <TableCell align="right">Warnings</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {calls.map(({ id, startedAt, method, route, caller, status, ms, statements, rows, warnings, rehearsed }) => (
            <TableRow key={id} hover>
              <TableCell sx={{ color: 'text.secondary' }}>
                <Ago instant={startedAt} />
              </TableCell>
              <TableCell>
                <Link component={RouterLink} to={`/calls/${id}`}>
                  {method} {route}
                </Link>
              </TableCell>
              <TableCell>
                <Link
                  component="button"
                  onClick={() => choose('caller', caller.handle ? `@${caller.handle}` : caller.kind)}
                  sx={{ fontSize: 'inherit' }}
                >
                  {caller.handle ? `@${caller.handle}` : caller.kind}
                </Link>
              </TableCell>
              <TableCell>
                <StatusChip status={status} />
                {rehearsed && <Chip size="small" variant="outlined" label="rolled back" sx={{ ml: 0.5 }} />}
              </TableCell>
              <Figured>{ms.toFixed(1)}</Figured>
              <Figured>{statements}</Figured>
              <Figured>{rows}</Figured>
              <Figured>{warnings > 0 ? `⚠ ${warnings}` : ''}</Figured>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Card>
  );
}
