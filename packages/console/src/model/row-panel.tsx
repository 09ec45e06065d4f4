import { Button, Link, Stack, Table, TableBody, TableCell, TableRow, Typography } from '@mui/material';
import type { ModelRow } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { RowsTable, Value } from './rows-table';

/** One row, and what it is associated with, both ways. */
export function RowPanel({ table, rowKey }: { table: string; rowKey: string }) {
  const found = useQuery({
    queryKey: ['model-row', table, rowKey],
    queryFn: async () =>
      unwrap(
        await api.GET('/v1/operator/model/tables/{table}/rows/{key}', {
          params: { path: { table, key: rowKey }, query: {} },
        }),
      ),
  });
  return (
    <Stack sx={{ gap: 1.5, minWidth: 0 }}>
      <Button component={RouterLink} to={`/model/${table}`} sx={{ alignSelf: 'start' }}>
        ← {table}
      </Button>
      {found.isPending && <LoadingPosts count={1} />}
      {found.isError && <Failed error={found.error} retry={() => void found.refetch()} />}
      {found.data && <Whole table={table} found={found.data} />}
    </Stack>
  );
}

function Whole({ table, found }: { table: string; found: ModelRow }) {
  const { columns, rows } = found.row;
  return (
    <>
      <Typography variant="h2">A row of {table}</Typography>
      <Table size="small">
        <TableBody>
          {columns.map(({ name, showing }, i) => (
            <TableRow key={name}>
              <TableCell sx={{ pl: 0, py: 0.5, color: 'text.secondary', verticalAlign: 'top' }}>{name}</TableCell>
              <TableCell sx={{ py: 0.5, overflowWrap: 'anywhere' }}>
                {showing === 'shown' && rows[0]!.values[i] !== null ? (
                  rows[0]!.values[i]
                ) : (
                  <Value value={null} showing={showing} />
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {found.associations.length === 0 && (
        <Typography color="text.secondary">Nothing refers to it, and it refers to nothing.</Typography>
      )}
      {found.associations.map(({ by, direction, count, rows: associated }) => (
        <Stack key={`${direction} ${associated.table} ${by}`} sx={{ gap: 0.5, minWidth: 0 }}>
          <Typography sx={{ fontWeight: 600 }}>
            {direction === 'refers to' ? (
              <>
                {by} refers to{' '}
                <Link component={RouterLink} to={`/model/${associated.table}`}>
                  {associated.table}
                </Link>
              </>
            ) : (
              <>
                {count.toLocaleString('en-GB')}{' '}
                <Link component={RouterLink} to={`/model/${associated.table}`}>
                  {associated.table}
                </Link>{' '}
                {count === 1 ? 'refers' : 'refer'} to it by {by}
                {count > associated.rows.length && `, ${associated.rows.length} of them`}
              </>
            )}
          </Typography>
          <RowsTable rows={associated} />
        </Stack>
      ))}
    </>
  );
}
