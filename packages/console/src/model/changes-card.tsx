import { mdiAlertOutline, mdiCheckCircleOutline, mdiClockOutline } from '@mdi/js';
import {
  Alert,
  Box,
  Button,
  Card,
  Collapse,
  FormControlLabel,
  Radio,
  RadioGroup,
  Stack,
  TextField,
  Typography,
} from '@mui/material';
import type { ModelChanges } from '@gather-lane/client';
import { useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import {
  choiceKey,
  isAnswered,
  needsText,
  suggestion,
  toRequest,
  type Choice,
  type Choices,
  type Hazard,
  type PlannedChange,
} from './answers';

/** What the model file would change in the tables, what the rows would suffer, and the button that does it. */
export function ChangesCard({ plan, initiallyOpen }: { plan: ModelChanges; initiallyOpen: boolean }) {
  const [open, setOpen] = useState(initiallyOpen);
  const [choices, setChoices] = useState<Choices>({});
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const queries = useQueryClient();
  const tell = useNotice();
  const { changes, fileChanged, warnings } = plan;
  const ready = isAnswered(changes, choices);
  const waiting = changes.filter(({ waitsFor }) => waitsFor.length > 0).length;
  const migrate = async () => {
    setBusy(true);
    setError(null);
    try {
      const body = toRequest(changes, choices) as never;
      const { id } = unwrap(await api.POST('/v1/operator/model/migrations', { body }));
      tell(id === null ? 'There was nothing to do.' : `Migration ${id} is under way.`);
      await queries.invalidateQueries({ queryKey: ['model'] });
    } catch (failure) {
      setError(failure);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Card sx={{ p: 2 }} component="section" aria-label="Pending changes">
      <Stack direction="row" sx={{ alignItems: 'center', gap: 1, flexWrap: 'wrap' }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          The model file differs from the tables: {changes.length === 1 ? '1 change' : `${changes.length} changes`}
        </Typography>
        <Button onClick={() => setOpen(!open)} aria-expanded={open}>
          {open ? 'Hide them' : 'Show them'}
        </Button>
        <Button
          variant="contained"
          onClick={() => void migrate()}
          disabled={!ready || (waiting === changes.length && waiting > 0)}
          loading={busy}
        >
          Migrate
        </Button>
      </Stack>
      <Typography variant="body2" color="text.secondary">
        {ready
          ? 'Everything is done beside the work of the service.'
          : 'Choose a way out for what is marked, then migrate.'}
        {fileChanged && ' This service runs by an older model: restart it once the tables have the new fields.'}
      </Typography>
      {warnings.map((warning) => (
        <Alert key={warning} severity="warning" sx={{ my: 1 }}>
          {warning}
        </Alert>
      ))}
      {error !== null && (
        <Alert severity="error" sx={{ my: 1, whiteSpace: 'pre-line' }}>
          {errorText(error)}
        </Alert>
      )}
      <Collapse in={open}>
        <Stack sx={{ mt: 1 }}>
          {changes.map((change) => (
            <ChangeItem
              key={`${change.kind} ${change.field}`}
              change={change}
              choices={choices}
              onChoose={(key, choice) => setChoices((before) => ({ ...before, [key]: choice }))}
            />
          ))}
        </Stack>
      </Collapse>
    </Card>
  );
}

function ChangeItem({
  change,
  choices,
  onChoose,
}: {
  change: PlannedChange;
  choices: Choices;
  onChoose: (key: string, choice: Choice) => void;
}) {
  const [open, setOpen] = useState(false);
  const sql = change.steps.flatMap((step) => step.sql);
  return (
    <Box sx={{ borderTop: 1, borderColor: 'divider', py: 1 }}>
      <Stack direction="row" sx={{ gap: 1, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography sx={{ fontWeight: 600, flexGrow: 1 }}>{change.sentence}</Typography>
        <Button onClick={() => setOpen(!open)} aria-expanded={open}>
          SQL
        </Button>
      </Stack>
      {change.hazards.map((hazard) => (
        <HazardItem
          key={hazard.kind}
          hazard={hazard}
          choice={choices[choiceKey(change, hazard)]}
          onChoose={(choice) => onChoose(choiceKey(change, hazard), choice)}
        />
      ))}
      {change.faults.map((fault) => (
        <Said key={fault} icon={<Icon outline={mdiAlertOutline} fontSize="small" color="error" />}>
          {fault}
        </Said>
      ))}
      {change.waitsFor.length > 0 && (
        <Said icon={<Icon outline={mdiClockOutline} fontSize="small" color="action" />}>
          Waits until {change.waitsFor.map(({ pid, host }) => `the service of process ${pid} on ${host}`).join(' and ')}{' '}
          runs by this model file: restart it.
        </Said>
      )}
      <Collapse in={open}>
        <Typography
          component="pre"
          sx={{
            m: 0,
            mt: 0.5,
            p: 1,
            fontSize: 12.5,
            whiteSpace: 'pre-wrap',
            overflowWrap: 'anywhere',
            bgcolor: 'background.default',
            borderRadius: 1,
          }}
        >
          {sql.join(';\n')}
        </Typography>
      </Collapse>
    </Box>
  );
}

function HazardItem({
  hazard,
  choice,
  onChoose,
}: {
  hazard: Hazard;
  choice: Choice | undefined;
  onChoose: (choice: Choice) => void;
}) {
  const { sentence, examples, ways, safely, open } = hazard;
  const said =
    examples.length > 0 ? `${sentence} Such as ${examples.map((text) => `“${text}”`).join(', ')}.` : sentence;
  if (!open)
    return (
      <Said icon={<Icon outline={mdiCheckCircleOutline} fontSize="small" color="success" />}>
        {said} {safely}
      </Said>
    );
  const needed = choice ? needsText(choice.way) : null;
  return (
    <Said icon={<Icon outline={mdiAlertOutline} fontSize="small" color="warning" />}>
      {said}
      <RadioGroup
        value={choice?.way ?? ''}
        onChange={(_, way) => onChoose({ way, text: suggestion(way) })}
        aria-label={sentence}
        sx={{ mt: 0.25 }}
      >
        {ways.map(({ answer, does }) => (
          <FormControlLabel
            key={answer}
            value={answer}
            control={<Radio size="small" sx={{ py: 0.25 }} />}
            label={
              <>
                {does} <Typography component="code" variant="body2" color="text.secondary">{`(${answer})`}</Typography>
              </>
            }
          />
        ))}
      </RadioGroup>
      {choice && needed && (
        <TextField
          label={{ constant: 'The value', column: 'Copied from', make: 'Made up by' }[needed] ?? needed}
          value={choice.text}
          onChange={(event) => onChoose({ way: choice.way, text: event.target.value })}
          sx={{ mt: 0.5, maxWidth: 320 }}
        />
      )}
    </Said>
  );
}

function Said({ icon, children }: { icon: ReactNode; children: ReactNode }) {
  return (
    <Stack direction="row" sx={{ gap: 1, mt: 0.5, alignItems: 'start' }}>
      <Box sx={{ pt: 0.1 }}>{icon}</Box>
      <Typography component="div" variant="body2" sx={{ minWidth: 0, flexGrow: 1 }}>
        {children}
      </Typography>
    </Stack>
  );
}
