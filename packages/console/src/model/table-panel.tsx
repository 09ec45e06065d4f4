import { Box, Chip, FormControlLabel, Stack, Switch, Tab, Tabs, Typography } from '@mui/material';
import type { ModelTable } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { RowsTable } from './rows-table';

const TABS = ['columns', 'rules', 'indexes', 'rows'] as const;

/** One table whole: its columns, rules, indexes and first rows. */
export function TablePanel({ table }: { table: ModelTable }) {
  const [tab, setTab] = useState<(typeof TABS)[number]>('columns');
  return (
    <Stack sx={{ gap: 1, minWidth: 0 }}>
      <Typography variant="h2">{table.name}</Typography>
      <Typography variant="body2" color="text.secondary">
        {table.estimated && '≈ '}
        {table.rows.toLocaleString('en-GB')} {table.rows === 1 ? 'row' : 'rows'} · {size(table.bytes)}
        {table.comment && ` · ${table.comment}`}
      </Typography>
      <Tabs
        value={tab}
        onChange={(_, value) => setTab(value as typeof tab)}
        variant="scrollable"
        sx={{ borderBottom: 1, borderColor: 'divider', minHeight: 40 }}
      >
        {TABS.map((name) => (
          <Tab
            key={name}
            value={name}
            label={`${name[0]!.toUpperCase()}${name.slice(1)}`}
            sx={{ minWidth: 0, minHeight: 40, px: 1.5 }}
          />
        ))}
      </Tabs>
      {tab === 'columns' && <Columns table={table} />}
      {tab === 'rules' && (
        <Definitions
          items={table.constraints.map(({ name, definition }) => ({ name, definition }))}
          nothing="No rules."
        />
      )}
      {tab === 'indexes' && (
        <Definitions
          items={table.indexes.map(({ name, definition, bytes }) => ({
            name: `${name} · ${size(bytes)}`,
            definition: definition.replace(/^CREATE (UNIQUE )?INDEX \S+ ON \S+ /, '$1'),
          }))}
          nothing="No indexes."
        />
      )}
      {tab === 'rows' && <Rows table={table} />}
    </Stack>
  );
}

const size = (bytes: number): string =>
  bytes < 1_048_576 ? `${Math.ceil(bytes / 1024)} kB` : `${(bytes / 1_048_576).toFixed(1)} MB`;

function Columns({ table }: { table: ModelTable }) {
  const of = (name: string, kind: string) =>
    table.constraints.some((rule) => rule.kind === kind && rule.columns.includes(name));
  return (
    <Stack component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
      {table.columns.map((column) => (
        <Box component="li" key={column.name} sx={{ py: 0.75, borderBottom: 1, borderColor: 'divider' }}>
          <Stack direction="row" sx={{ gap: 0.75, alignItems: 'center', flexWrap: 'wrap' }}>
            <Typography sx={{ fontWeight: 600, color: column.name.startsWith('f_') ? 'secondary.main' : undefined }}>
              {column.name}
            </Typography>
            <Typography variant="body2" color="text.secondary">
              {column.type}
              {column.nullable ? ', may be null' : ''}
            </Typography>
            {of(column.name, 'primary key') && <Chip size="small" variant="outlined" label="primary key" />}
            {of(column.name, 'foreign key') && <Chip size="small" variant="outlined" label="foreign key" />}
            {of(column.name, 'unique') && <Chip size="small" variant="outlined" label="unique" />}
            {column.name.startsWith('f_') && (
              <Chip size="small" variant="outlined" color="secondary" label="your own" />
            )}
          </Stack>
          {(column.default ?? column.comment) && (
            <Typography variant="body2" color="text.secondary">
              {column.default && `default ${column.default}`}
              {column.default && column.comment && ' · '}
              {column.comment}
            </Typography>
          )}
        </Box>
      ))}
    </Stack>
  );
}

function Definitions({ items, nothing }: { items: { name: string; definition: string }[]; nothing: string }) {
  if (items.length === 0) return <Typography color="text.secondary">{nothing}</Typography>;
  return (
    <Stack component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
      {items.map(({ name, definition }) => (
        <Box component="li" key={name} sx={{ py: 0.75, borderBottom: 1, borderColor: 'divider' }}>
          <Typography sx={{ fontWeight: 600 }}>{name}</Typography>
          <Typography
            variant="body2"
            sx={{ fontFamily: 'monospace', overflowWrap: 'anywhere', color: 'text.secondary' }}
          >
            {definition}
          </Typography>
        </Box>
      ))}
    </Stack>
  );
}

function Rows({ table }: { table: ModelTable }) {
  const [reveal, setReveal] = useState(false);
  const rows = useQuery({
    queryKey: ['model-rows', table.name, reveal],
    queryFn: async () =>
      unwrap(
        await api.GET('/v1/operator/model/tables/{table}/rows', {
          params: { path: { table: table.name }, query: { limit: 12, reveal } },
        }),
      ),
  });
  return (
    <Stack sx={{ gap: 1, minWidth: 0 }}>
      <FormControlLabel
        control={<Switch size="small" checked={reveal} onChange={(event) => setReveal(event.target.checked)} />}
        label="Show private columns too"
      />
      {rows.isPending && <LoadingPosts count={1} />}
      {rows.isError && <Failed error={rows.error} retry={() => void rows.refetch()} />}
      {rows.data && <RowsTable rows={rows.data} />}
    </Stack>
  );
}
