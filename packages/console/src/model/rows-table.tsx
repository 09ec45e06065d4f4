import { Box, Link, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ModelRows } from '@gather-lane/client';
import { Link as RouterLink } from 'react-router';

/** Rows of a table as text; each leads to what it is associated with. */
export function RowsTable({ rows }: { rows: ModelRows }) {
  if (rows.rows.length === 0) return <Typography color="text.secondary">There are no rows.</Typography>;
  return (
    <Box sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label={`Rows of ${rows.table}`}>
      <Table size="small" sx={{ '& td, & th': { whiteSpace: 'nowrap', py: 0.5, px: 1, fontSize: 13 } }}>
        <TableHead>
          <TableRow>
            {rows.columns.map(({ name }) => (
              <TableCell key={name}>{name}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.rows.map(({ key, values }) => (
            <TableRow key={key} hover>
              {values.map((value, i) => (
                <TableCell
                  key={rows.columns[i]!.name}
                  sx={{ maxWidth: 260, overflow: 'hidden', textOverflow: 'ellipsis' }}
                  title={value ?? undefined}
                >
                  {i === 0 ? (
                    <Link component={RouterLink} to={`/model/${rows.table}/${encodeURIComponent(key)}`}>
                      {short(value ?? key)}
                    </Link>
                  ) : (
                    <Value value={value} showing={rows.columns[i]!.showing} />
                  )}
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

/** An id is told from others by its end; the whole of it is the cell's title. */
const short = (value: string): string => (/^[0-9a-f]{8}-/.test(value) ? `…${value.slice(-6)}` : value);

/** A value, or why there is none to be seen. */
export function Value({ value, showing }: { value: string | null; showing: string }) {
  if (showing !== 'shown')
    return (
      <Typography
        component="span"
        color="text.secondary"
        sx={{ fontSize: 'inherit' }}
        title={showing === 'secret' ? 'Never shown' : 'Private: masked'}
      >
        {showing === 'secret' ? 'never shown' : '••••'}
      </Typography>
    );
  if (value === null)
    return (
      <Typography component="span" color="text.disabled" sx={{ fontSize: 'inherit' }}>
        null
      </Typography>
    );
  return <>{short(value)}</>;
}
