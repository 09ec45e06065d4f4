import { mdiPause, mdiPlayOutline } from '@mdi/js';
import { Box, Button, Card, MenuItem, Stack, TextField, Typography } from '@mui/material';
import type { Activity } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { CallList } from './call-list';
import { CallsOverTime } from './calls-over-time';
import type { Choose } from './figure-table';
import { Jobs } from './jobs';
import { Measured } from './measured';
import { Routes, SlowStatements } from './route-figures';

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
          startIcon={paused ? <Icon outline={mdiPlayOutline} /> : <Icon outline={mdiPause} />}
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
      <Measured every={every} />
      <Jobs every={every} />
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
