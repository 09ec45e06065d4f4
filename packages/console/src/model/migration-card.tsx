import { Card, LinearProgress, Stack, Typography } from '@mui/material';
import type { ModelMigration } from '@gather-lane/client';
import { Ago } from '../common/time';

/** The latest migration: how far it is, or how it ended. */
export function MigrationCard({ migration }: { migration: ModelMigration }) {
  const { id, state, note, steps, begunAt } = migration;
  const done = steps.filter((step) => step.done).length;
  const last = steps.at(-1);
  const states: Record<string, string> = {
    running: 'is under way',
    waiting: 'is done as far as running services bear it',
    done: 'is done',
    failed: 'failed',
  };
  return (
    <Card sx={{ p: 2 }} component="section" aria-label="Latest migration" aria-live="polite">
      <Stack sx={{ gap: 0.5 }}>
        <Typography sx={{ fontWeight: 600 }}>
          Migration {id} {states[state] ?? state}: {done} {done === 1 ? 'step' : 'steps'}, begun{' '}
          <Ago instant={begunAt} />.
        </Typography>
        {state === 'running' && <LinearProgress aria-label="Under way" />}
        {state === 'running' && last && (
          <Typography variant="body2" color="text.secondary">
            {last.field}: {last.does}
          </Typography>
        )}
        {note && (
          <Typography
            variant="body2"
            color={state === 'failed' ? 'error' : 'text.secondary'}
            sx={{ whiteSpace: 'pre-line' }}
          >
            {note}
          </Typography>
        )}
      </Stack>
    </Card>
  );
}
