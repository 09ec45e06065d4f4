import { mdiTrayArrowDown } from '@mdi/js';
import {
  Box,
  Button,
  Card,
  FormControlLabel,
  MenuItem,
  Skeleton,
  Stack,
  Switch,
  TextField,
  Typography,
} from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { Empty, Failed } from '../common/states';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { ChangesCard } from './changes-card';
import { Diagram } from './diagram';
import { diagramAsSvg, saveFile } from './diagram-svg';
import { layOut } from './layout';
import { MigrationCard } from './migration-card';
import { RowPanel } from './row-panel';
import { TablePanel } from './table-panel';

/** Tables that the service keeps for itself; out of the way unless asked for. */
const KEPT = [
  'signing_keys',
  'sign_in_attempts',
  'password_resets',
  'provider_sign_ins',
  'sessions',
  'repeatable_calls',
  'refused_attempts',
  'reserved_handles',
  'erasures',
  'throw_away_users',
  'fill_runs',
  'standing_drops',
  'restand',
  'weightings',
  'model_migrations',
  'model_steps',
  'live_services',
  'operator_sessions',
  'refresh_tokens',
  'text_readings',
  'events',
  'event_readers',
  'comment_announcements',
  'notification_acts',
  'author_draws',
  'lively_hashtags',
  'hashtag_people',
  'comment_people',
  'trace_processes',
  'trace_questions',
  'trace_answers',
];
const RUNNING_MS = 700;
const QUIET_MS = 8_000;

/** The model as it really is: the diagram, one table whole, one row with what belongs to it, and pending changes. */
export function ModelPage() {
  const { table: chosen, key } = useParams();
  const navigate = useNavigate();
  const [all, setAll] = useState(KEPT.includes(chosen ?? ''));
  // A migration that ended before is history; one that ends while somebody looks is news.
  const [openedAt] = useState(() => Date.now());
  const migrations = useQuery({
    queryKey: ['model', 'migrations'],
    refetchInterval: ({ state }) => (state.data?.items[0]?.state === 'running' ? RUNNING_MS : QUIET_MS),
    queryFn: async () => unwrap(await api.GET('/v1/operator/model/migrations')),
  });
  const latest = migrations.data?.items[0];
  // A migration that moves on changes the tables and what is left to do.
  const stamp = `${latest?.id} ${latest?.state} ${latest?.steps.length}`;
  const model = useQuery({
    queryKey: ['model', 'tables', stamp],
    placeholderData: (before) => before,
    queryFn: async () => unwrap(await api.GET('/v1/operator/model')),
  });
  const changes = useQuery({
    queryKey: ['model', 'changes', stamp],
    refetchInterval: QUIET_MS,
    placeholderData: (before) => before,
    queryFn: async () => unwrap(await api.GET('/v1/operator/model/changes')),
  });
  const tables = useMemo(
    () => (model.data?.tables ?? []).filter(({ name }) => all || !KEPT.includes(name)),
    [model.data, all],
  );
  const layout = useMemo(() => layOut(tables), [tables]);
  const choose = (name: string) => void navigate(`/model/${name}`);

  if (isForOperator(model.error))
    return (
      <Stack sx={{ gap: 3 }}>
        <Typography variant="h1">Model</Typography>
        <OperatorOnly title="The model is for the operator">Give the operator key to look at the tables.</OperatorOnly>
      </Stack>
    );
  const table = model.data?.tables.find(({ name }) => name === chosen);
  const pending = changes.data && changes.data.changes.length > 0 ? changes.data : null;
  return (
    <Stack sx={{ gap: 1.5 }}>
      <Stack direction="row" sx={{ alignItems: 'center', gap: 1.5, flexWrap: 'wrap' }}>
        <Typography variant="h1" sx={{ flexGrow: 1 }}>
          Model
        </Typography>
        <FormControlLabel
          control={<Switch size="small" checked={all} onChange={(event) => setAll(event.target.checked)} />}
          label="All tables"
        />
        <TextField
          select
          label="Table"
          value={table ? chosen : ''}
          onChange={(event) => choose(event.target.value)}
          sx={{ minWidth: 160 }}
        >
          {tables.map(({ name }) => (
            <MenuItem key={name} value={name}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <Button
          variant="outlined"
          startIcon={<Icon outline={mdiTrayArrowDown} />}
          disabled={!model.data}
          onClick={() => saveFile('model.svg', 'image/svg+xml', diagramAsSvg(layout))}
        >
          SVG
        </Button>
        <Button
          variant="outlined"
          startIcon={<Icon outline={mdiTrayArrowDown} />}
          disabled={!model.data}
          onClick={() => saveFile('model.mmd', 'text/plain', model.data!.mermaid)}
        >
          Mermaid
        </Button>
      </Stack>
      {changes.isError && !isForOperator(changes.error) && <Failed error={changes.error} />}
      {latest && (latest.state !== 'done' || Date.parse(latest.endedAt ?? '') > openedAt) && (
        <MigrationCard migration={latest} />
      )}
      {pending && <ChangesCard key={stamp} plan={pending} initiallyOpen={!chosen} />}
      {model.isError && <Failed error={model.error} retry={() => void model.refetch()} />}
      {model.isPending && <Skeleton variant="rounded" height={520} />}
      {model.data && (
        <Box
          sx={{
            display: 'grid',
            gap: 1.5,
            gridTemplateColumns: {
              xs: 'minmax(0, 1fr)',
              md: chosen ? 'minmax(0, 3fr) minmax(0, 2fr)' : 'minmax(0, 1fr)',
            },
          }}
        >
          <Box
            sx={{
              height: { xs: 380, md: 'calc(100vh - 170px)' },
              minHeight: 380,
              position: { md: 'sticky' },
              top: { md: 76 },
            }}
          >
            <Diagram layout={layout} chosen={chosen} onChoose={choose} />
          </Box>
          {chosen && (
            <Card sx={{ p: 2, minWidth: 0 }} component="section" aria-label={`Table ${chosen}`}>
              {table && key && <RowPanel table={chosen} rowKey={key} />}
              {table && !key && <TablePanel key={chosen} table={table} />}
              {!table && <Empty title={`There is no table ${chosen}`}>Choose one in the diagram.</Empty>}
            </Card>
          )}
        </Box>
      )}
    </Stack>
  );
}
