import {
  Box,
  Card,
  Chip,
  Link,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  Typography,
} from '@mui/material';
import type { RowChange } from '@gather-lane/client';
import { Link as RouterLink } from 'react-router';

const COLOURS = { inserted: 'success', changed: 'warning', deleted: 'error' } as const;

/** Rows as they were and as they are, table by table, what is another value now marked. */
export function RowChanges({ rows }: { rows: readonly RowChange[] }) {
  const tables = [...new Set(rows.map(({ table }) => table))];
  return (
    <Stack sx={{ gap: 1.5, minWidth: 0 }}>
      {tables.map((table) => (
        <TableChanges key={table} table={table} rows={rows.filter((row) => row.table === table)} />
      ))}
    </Stack>
  );
}

function TableChanges({ table, rows }: { table: string; rows: readonly RowChange[] }) {
  const columns = [
    ...new Set(rows.flatMap(({ before, after, changed }) => [...Object.keys(after ?? before ?? {}), ...changed])),
  ];
  const masked = [...new Set(rows.flatMap((row) => row.masked))].filter((name) => !columns.includes(name));
  return (
    <Card sx={{ minWidth: 0 }}>
      <Stack direction="row" sx={{ px: 1.5, py: 0.75, gap: 1, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Link component={RouterLink} to={`/model/${table}`} sx={{ fontWeight: 650 }}>
          {table}
        </Link>
        <Typography variant="caption" color="text.secondary">
          {[...new Set(rows.map(({ by }) => (by === null ? 'by the statement' : `by ${by}`)))].join(', ')}
          {masked.length > 0 && ` · masked: ${masked.join(', ')}`}
        </Typography>
      </Stack>
      <Box sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label={`Rows of ${table}`}>
        <Table size="small" sx={{ '& td, & th': { whiteSpace: 'nowrap', py: 0.4, px: 1, fontSize: 13 } }}>
          <TableHead>
            <TableRow>
              <TableCell />
              {columns.map((name) => (
                <TableCell key={name}>{name}</TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((row, i) => (
              <ChangedRow key={i} row={row} columns={columns} />
            ))}
          </TableBody>
        </Table>
      </Box>
    </Card>
  );
}

function ChangedRow({ row, columns }: { row: RowChange; columns: readonly string[] }) {
  const { act, before, after, changed, undone } = row;
  const lines =
    act === 'changed' ? (['before', 'after'] as const) : ([act === 'deleted' ? 'before' : 'after'] as const);
  return lines.map((line) => {
    const values = line === 'before' ? before : after;
    return (
      <TableRow key={line} sx={{ opacity: undone ? 0.75 : 1, textDecoration: undone ? 'line-through' : 'none' }}>
        <TableCell sx={{ width: 120, borderBottom: line === 'before' && lines.length > 1 ? 0 : undefined }}>
          {line === lines[0] && (
            <Chip size="small" variant="outlined" color={COLOURS[act]} label={undone ? `${act}, rolled back` : act} />
          )}
          {act === 'changed' && (
            <Typography component="span" variant="caption" color="text.secondary" sx={{ ml: 0.75 }}>
              {line}
            </Typography>
          )}
        </TableCell>
        {columns.map((name) => (
          <Cell
            key={name}
            row={row}
            value={values?.[name]}
            isMarked={changed.includes(name)}
            isAfter={line === 'after'}
          />
        ))}
      </TableRow>
    );
  });
}

function Cell({
  row,
  value,
  isMarked,
  isAfter,
}: {
  row: RowChange;
  value: unknown;
  isMarked: boolean;
  isAfter: boolean;
}) {
  const { table, key, act } = row;
  const masked = value === undefined;
  const text = masked ? '••••' : value === null ? 'null' : typeof value === 'string' ? value : JSON.stringify(value);
  const isKey = key !== null && typeof value === 'string' && key.split(',').includes(value);
  // What is gone has no row to look at.
  const there = isKey && act !== 'deleted' && !row.undone;
  return (
    <TableCell
      title={masked ? 'Not public: its value was never kept' : text}
      sx={{
        maxWidth: 230,
        overflow: 'hidden',
        textOverflow: 'ellipsis',
        ...(isMarked && {
          fontWeight: 650,
          boxShadow: (theme) =>
            `inset 3px 0 0 ${isAfter ? theme.vars!.palette.secondary.main : theme.vars!.palette.divider}`,
          bgcolor: isAfter ? 'action.selected' : undefined,
        }),
      }}
    >
      {there ? (
        <Link component={RouterLink} to={`/model/${table}/${encodeURIComponent(key)}`}>
          {short(text)}
        </Link>
      ) : (
        <Box component="span" sx={{ color: masked || value === null ? 'text.secondary' : undefined }}>
          {short(text)}
        </Box>
      )}
    </TableCell>
  );
}

/** An id is told from others by its end; the whole of it is the cell's title. */
const short = (value: string): string => (/^[0-9a-f]{8}-[0-9a-f-]{27}$/.test(value) ? `…${value.slice(-6)}` : value);
