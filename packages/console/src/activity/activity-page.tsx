import PauseOutlined from '@mui/icons-material/PauseOutlined';
import PlayArrowOutlined from '@mui/icons-material/PlayArrowOutlined';
import {
  Box,
  Button,
  Card,
  Chip,
  Link,
  MenuItem,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import type { Activity, TracedCall } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { api, unwrap } from '../api';
import { StatusChip } from '../calls/status-chip';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { Ago } from '../common/time';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { CallsOverTime } from './calls-over-time';

const LOOK_EVERY_MS = 2_000;
const SPANS = [
  { seconds: 60, name: 'last minute' },
  { seconds: 300, name: 'last 5 minutes' },
  { seconds: 3600, name: 'last hour' },
];
const CHOICES = ['method', 'route', 'caller', 'status', 'minMs', 'minRows', 'warned'] as const;

/** The calls as they come, and what they cost. */
export function ActivityPage() {
  const [search, setSearch] = useSearchParams();
  const [paused, setPaused] = useState(false);
  const every = paused ? (false as const) : LOOK_EVERY_MS;
  const seconds = Number(search.get('seconds') ?? 300);
  const chosen = Object.fromEntries(CHOICES.flatMap((name) => (search.get(name) ? [[name, search.get(name)!]] : [])));
  const choose = (name: string, value: string) =>
    setSearch(
      (before) => {
        const next = new URLSearchParams(before);
        if (value === '') next.delete(name);
        else next.set(name, value);
        return next;
      },
      { replace: true },
    );
  const calls = useQuery({
    queryKey: ['traces', chosen],
    refetchInterval: every,
    placeholderData: (before) => before,
    queryFn: async () => {
      const { minMs, minRows, warned, ...rest } = chosen;
      const query = {
        ...rest,
        limit: 60,
        ...(minMs && { minMs: Number(minMs) }),
        ...(minRows && { minRows: Number(minRows) }),
        ...(warned && { warned: true }),
      };
      return unwrap(await api.GET('/v1/operator/traces', { params: { query } })).items;
    },
  });
  const figures = useQuery({
    queryKey: ['activity', seconds],
    refetchInterval: every,
    placeholderData: (before) => before,
    queryFn: async () => unwrap(await api.GET('/v1/operator/activity', { params: { query: { seconds } } })),
  });
  const locked = isForOperator(calls.error);
  if (locked) return <OperatorOnly title="Activity is for the operator">It shows the calls of everybody.</OperatorOnly>;
  return (
    <Stack sx={{ gap: 2.5 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Box sx={{ flex: '1 1 320px' }}>
          <Typography variant="h1">Activity</Typography>
          <Typography color="text.secondary">
            Calls as they come, of every process; each leads to its statements and the rows that it changed.
          </Typography>
        </Box>
        <TextField
          select
          label="Figures of"
          value={seconds}
          onChange={(event) => choose('seconds', event.target.value)}
          sx={{ minWidth: 150 }}
        >
          {SPANS.map((span) => (
            <MenuItem key={span.seconds} value={span.seconds}>
              {span.name}
            </MenuItem>
          ))}
        </TextField>
        <Button
          variant="outlined"
          startIcon={paused ? <PlayArrowOutlined /> : <PauseOutlined />}
          onClick={() => setPaused(!paused)}
        >
          {paused ? 'Go on' : 'Pause'}
        </Button>
      </Stack>
      {figures.isError && <Failed error={figures.error} retry={() => void figures.refetch()} />}
      {figures.data && <Figures activity={figures.data} />}
      <Choices chosen={chosen} choose={choose} />
      {calls.isPending && <LoadingPosts count={2} />}
      {calls.isError && !figures.isError && <Failed error={calls.error} retry={() => void calls.refetch()} />}
      {calls.data && <CallList calls={calls.data} filtered={Object.keys(chosen).length > 0} choose={choose} />}
      {figures.data && <Routes activity={figures.data} choose={choose} />}
      {figures.data && <SlowStatements statements={figures.data.statements} />}
    </Stack>
  );
}

function Figures({ activity: { calls, perSecond, parts, routes, seconds } }: { activity: Activity }) {
  const errors = routes.reduce((sum, { failed, refused }) => sum + failed + refused, 0);
  const failed = routes.reduce((sum, route) => sum + route.failed, 0);
  return (
    <Card sx={{ p: 2 }}>
      <Stack direction="row" sx={{ gap: 4, flexWrap: 'wrap', mb: 1 }}>
        <Figure value={calls.toLocaleString('en-GB')} name="calls" />
        <Figure value={perSecond < 10 ? perSecond.toFixed(2) : perSecond.toFixed(0)} name="a second" />
        <Figure value={String(errors - failed)} name="refused (4xx)" />
        <Figure value={String(failed)} name="failed (5xx, cut off)" />
      </Stack>
      <CallsOverTime parts={parts} seconds={seconds} />
    </Card>
  );
}

function Figure({ value, name }: { value: string; name: string }) {
  return (
    <Box>
      <Typography sx={{ fontSize: '1.4rem', fontWeight: 650, lineHeight: 1.2, fontVariantNumeric: 'tabular-nums' }}>
        {value}
      </Typography>
      <Typography variant="body2" color="text.secondary">
        {name}
      </Typography>
    </Box>
  );
}

type Choose = (name: string, value: string) => void;

function Choices({ chosen, choose }: { chosen: Readonly<Record<string, string>>; choose: Choose }) {
  const field = (name: string, label: string, width: number, options?: readonly (readonly [string, string])[]) => (
    <TextField
      key={name}
      label={label}
      select={options !== undefined}
      value={chosen[name] ?? ''}
      onChange={(event) => choose(name, event.target.value)}
      sx={{ width }}
    >
      {options?.map(([value, text]) => (
        <MenuItem key={value} value={value}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
  const any = ['', 'any'] as const;
  return (
    <Stack direction="row" sx={{ gap: 1, flexWrap: 'wrap' }} role="search" aria-label="Which calls">
      {field('method', 'Method', 105, [
        any,
        ...['GET', 'POST', 'PUT', 'PATCH', 'DELETE'].map((name) => [name, name] as const),
      ])}
      {field('route', 'Route', 220)}
      {field('caller', 'Caller', 150)}
      {field('status', 'Status', 120, [
        any,
        ...['2xx', '4xx', '5xx', '401', '403', '404', '412', '422'].map((name) => [name, name] as const),
      ])}
      {field('minMs', 'At least', 110, [
        any,
        ...['5', '20', '100', '500'].map((name) => [name, `${name} ms`] as const),
      ])}
      {field('minRows', 'Changed', 120, [any, ['1', 'a row'], ['10', '10 rows'], ['100', '100 rows']])}
      {field('warned', 'Warnings', 110, [any, ['true', 'some']])}
      {Object.keys(chosen).length > 0 && (
        <Button onClick={() => Object.keys(chosen).forEach((name) => choose(name, ''))}>All calls</Button>
      )}
    </Stack>
  );
}

const TABLE = { '& td, & th': { py: 0.5, px: 1, fontSize: 13.5, whiteSpace: 'nowrap' } } as const;

function CallList({ calls, filtered, choose }: { calls: readonly TracedCall[]; filtered: boolean; choose: Choose }) {
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

function Routes({ activity: { routes }, choose }: { activity: Activity; choose: Choose }) {
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

function SlowStatements({ statements: { from, items } }: { statements: Activity['statements'] }) {
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

function Figured({ children }: { children: React.ReactNode }) {
  return (
    <TableCell align="right" sx={{ fontVariantNumeric: 'tabular-nums' }}>
      {children}
    </TableCell>
  );
}
