import { Card, Link, Stack, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Activity } from '@gather-lane/client';
import { Figured, TABLE, type Choose } from './figure-table';

/** How calls of each route went. */
export function Routes({ activity: { routes }, choose }: { activity: Activity; choose: Choose }) {
  if (routes.length === 0) return null;
  return (
    <Stack sx={{ gap: 1 }}>
      <Typography variant="h2">By route</Typography>
      <Card sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="By route">
        <Table size="small" sx={TABLE}>
          <TableHead>
            <TableRow>
              <TableCell>Route</TableCell>
              {['Calls', 'p50 ms', 'p95 ms', 'p99 ms', 'Refused', 'Failed'].map((name) => (
                <TableCell key={name} align="right">
                  {name}
                </TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {routes.map(({ method, route, calls, p50, p95, p99, refused, failed }) => (
              <TableRow key={`${method} ${route}`} hover>
                <TableCell>
                  <Link
                    component="button"
                    onClick={() => (choose('method', method), choose('route', route))}
                    sx={{ fontSize: 'inherit' }}
                  >
                    {method} {route}
                  </Link>
                </TableCell>
                <Figured>{calls}</Figured>
                <Figured>{p50.toFixed(1)}</Figured>
                <Figured>{p95.toFixed(1)}</Figured>
                <Figured>{p99.toFixed(1)}</Figured>
                <Figured>{refused || ''}</Figured>
                <Figured>{failed || ''}</Figured>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Card>
    </Stack>
  );
}

/** The statements that took longest in all. */
export function SlowStatements({ statements: { from, items } }: { statements: Activity['statements'] }) {
  return (
    <Stack sx={{ gap: 1 }}>
      <Typography variant="h2">Statements that took longest in all</Typography>
      <Typography color="text.secondary">
        {from === 'traces'
          ? 'As this process saw them. PostgreSQL counts them itself where pg_stat_statements is loaded.'
          : 'As PostgreSQL counts them (pg_stat_statements), of everybody who uses the database.'}
      </Typography>
      <Card sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="Slowest statements">
        <Table size="small" sx={TABLE}>
          <TableHead>
            <TableRow>
              <TableCell>Statement</TableCell>
              {['Calls', 'Mean ms', 'Longest ms', 'Rows'].map((name) => (
                <TableCell key={name} align="right">
                  {name}
                </TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {items.map(({ text, calls, meanMs, longestMs, rows }) => (
              <TableRow key={text} hover>
                <TableCell title={text} sx={{ maxWidth: 560, overflow: 'hidden', textOverflow: 'ellipsis' }}>
                  <code>{text.replace(/\s+/g, ' ').trim()}</code>
                </TableCell>
                <Figured>{calls.toLocaleString('en-GB')}</Figured>
                <Figured>{meanMs.toFixed(2)}</Figured>
                <Figured>{longestMs.toFixed(1)}</Figured>
                <Figured>{rows.toLocaleString('en-GB')}</Figured>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Card>
    </Stack>
  );
}
