import { Box, Card, Stack, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Measurement } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { Figured, TABLE } from './figure-table';

const POOL = 'db_client_connection_pool_name';
const STATE = 'db_client_connection_state';
const SERVER = 'server_address';

/** What the service measures of itself: the figures of `/metrics`, of all its processes. */
export function Measured({ every }: { every: number | false }) {
  const measured = useQuery({
    queryKey: ['measurements'],
    refetchInterval: every,
    queryFn: async () => new Figures(unwrap(await api.GET('/v1/operator/measurements')).items),
  });
  if (measured.isPending) return null;
  return (
    <Stack sx={{ gap: 1 }}>
      <Typography variant="h2">The service itself</Typography>
      <Typography color="text.secondary">
        All of its processes together, since they began; a collector finds the same, and more, at <code>/metrics</code>.
      </Typography>
      {measured.isError && <Failed error={measured.error} retry={() => void measured.refetch()} />}
      {measured.data && (
        <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' }, alignItems: 'start' }}>
          <Stack sx={{ gap: 1.5, minWidth: 0 }}>
            <Pools figures={measured.data} />
            <Standbys figures={measured.data} />
            <KeptLog figures={measured.data} />
          </Stack>
          <Stack sx={{ gap: 1.5, minWidth: 0 }}>
            <Batches figures={measured.data} />
            <Processes figures={measured.data} />
          </Stack>
        </Box>
      )}
    </Stack>
  );
}

type Value = Measurement['values'][number];

/** Looks up values by the name of what is measured. */
class Figures {
  readonly #values: ReadonlyMap<string, readonly Value[]>;

  constructor(items: readonly Measurement[]) {
    this.#values = new Map(items.map(({ name, values }) => [name, values]));
  }

  all(name: string): readonly Value[] {
    return this.#values.get(name) ?? [];
  }

  of(name: string, labels: Readonly<Record<string, string>> = {}): number | undefined {
    return this.all(name).find((value) => Object.entries(labels).every(([key, text]) => value.labels[key] === text))
      ?.value;
  }
}

function Pools({ figures }: { figures: Figures }) {
  const names = figures.all('db_client_connection_max').map(({ labels }) => labels[POOL]!);
  return (
    <Listed title="Connections to the database" columns={['For', 'In use', 'Idle', 'Most', 'Waiting']}>
      {names.map((name) => {
        const pool = { [POOL]: name };
        return (
          <Row
            key={name}
            name={name}
            figures={[
              figures.of('db_client_connection_count', { ...pool, [STATE]: 'used' }),
              figures.of('db_client_connection_count', { ...pool, [STATE]: 'idle' }),
              figures.of('db_client_connection_max', pool),
              figures.of('db_client_connection_pending_requests', pool),
            ].map(whole)}
          />
        );
      })}
    </Listed>
  );
}

function Batches({ figures }: { figures: Figures }) {
  const all = figures.all('gather_lane_combined_acts');
  return (
    <Listed title="Writes that are combined" columns={['Acts', 'Batches', 'Acts in one']}>
      {all.length === 0 && <Nothing columns={3}>Nothing was written yet.</Nothing>}
      {all.map(({ labels, value, n }) => (
        <Row key={labels.acts} name={labels.acts!} figures={[whole(n), value.toFixed(1)]} />
      ))}
    </Listed>
  );
}

function Standbys({ figures }: { figures: Figures }) {
  const servers = [...new Set(figures.all('gather_lane_standby_statements').map(({ labels }) => labels[SERVER]!))];
  return (
    <Listed title="Standbys" columns={['Server', 'Behind', 'Read there', 'Sent back']}>
      {servers.length === 0 && (
        <Nothing columns={4}>
          None is configured (<code>database.standbys</code>): all pages are read at the primary.
        </Nothing>
      )}
      {servers.map((name) => {
        const server = { [SERVER]: name };
        const age = figures.of('gather_lane_standby_age_seconds', server);
        return (
          <Row
            key={name}
            name={name}
            figures={[
              age === undefined ? <Wrong key="age">not reached</Wrong> : seconds(age),
              whole(figures.of('gather_lane_standby_statements', { ...server, outcome: 'done' })),
              whole(figures.of('gather_lane_standby_statements', { ...server, outcome: 'failed' })),
            ]}
          />
        );
      })}
    </Listed>
  );
}

/** Nothing where the database keeps none. */
function KeptLog({ figures }: { figures: Figures }) {
  const failing = figures.of('gather_lane_log_failing_seconds');
  if (failing === undefined) return null;
  const rows: readonly (readonly [string, ReactNode])[] = [
    ['Parts copied', whole(figures.of('gather_lane_log_parts', { outcome: 'copied' }))],
    ['Attempts that failed', whole(figures.of('gather_lane_log_parts', { outcome: 'failed' }))],
    ['Not copied yet', megabytes(figures.of('gather_lane_log_waiting_bytes'))],
    ['It can be copied', failing > 0 ? <Wrong key="failing">not for {seconds(failing)}</Wrong> : 'yes'],
  ];
  return (
    <Listed title="Log that is kept" columns={['Figure', 'Now']}>
      {rows.map(([name, value]) => (
        <Row key={name} name={name} figures={[value]} />
      ))}
    </Listed>
  );
}

function Processes({ figures }: { figures: Figures }) {
  const rows: readonly (readonly [string, string])[] = [
    ['Calls under way', whole(figures.of('http_server_active_requests'))],
    ['Open streams', whole(figures.of('gather_lane_streams_open'))],
    ['Events are told after', seconds(figures.of('gather_lane_events_delay_seconds'))],
    ['Event loop behind, 99 of 100', seconds(figures.of('nodejs_eventloop_lag_p99_seconds'))],
    ['Memory', megabytes(figures.of('process_resident_memory_bytes'))],
    ['Processor time', seconds(figures.of('process_cpu_seconds_total'))],
  ];
  return (
    <Listed title="Processes" columns={['Figure', 'Now']}>
      {rows.map(([name, value]) => (
        <Row key={name} name={name} figures={[value]} />
      ))}
    </Listed>
  );
}

function Listed({ title, columns, children }: { title: string; columns: readonly string[]; children: ReactNode }) {
  return (
    <Card sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label={title}>
      <Typography component="h3" sx={{ px: 1, pt: 1, fontWeight: 650 }}>
        {title}
      </Typography>
      <Table size="small" sx={TABLE}>
        <TableHead>
          <TableRow>
            {columns.map((column, i) => (
              <TableCell key={column} align={i === 0 ? 'left' : 'right'}>
                {column}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>{children}</TableBody>
      </Table>
    </Card>
  );
}

function Row({ name, figures }: { name: string; figures: readonly ReactNode[] }) {
  return (
    <TableRow hover>
      <TableCell>{name}</TableCell>
      {figures.map((figure, i) => (
        <Figured key={i}>{figure}</Figured>
      ))}
    </TableRow>
  );
}

function Nothing({ columns, children }: { columns: number; children: ReactNode }) {
  return (
    <TableRow>
      <TableCell colSpan={columns} sx={{ color: 'text.secondary', whiteSpace: 'normal !important' }}>
        {children}
      </TableCell>
    </TableRow>
  );
}

const Wrong = ({ children }: { children: ReactNode }) => (
  <Typography component="span" sx={{ color: 'error.main', fontSize: 'inherit' }}>
    {children}
  </Typography>
);

const whole = (value: number | undefined): string => (value === undefined ? '' : value.toLocaleString('en-GB'));

function seconds(value: number | undefined): string {
  if (value === undefined) return '';
  if (value >= 120) return `${Math.round(value / 60).toLocaleString('en-GB')} min`;
  return value < 1 ? `${(value * 1000).toFixed(value > 0 && value < 0.01 ? 1 : 0)} ms` : `${value.toFixed(1)} s`;
}

const megabytes = (bytes: number | undefined): string =>
  bytes === undefined ? '' : `${Math.round(bytes / 1e6).toLocaleString('en-GB')} MB`;
