import { mdiCheckCircleOutline, mdiCloseCircleOutline } from '@mdi/js';
import { Alert, Box, Button, Card, Link, MenuItem, Stack, TextField, Typography } from '@mui/material';
import type { StepOutcome } from '@gather-lane/core/calls';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { Icon } from '../common/icon';
import { Failed } from '../common/states';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { keepWalk, keptWalk } from './kept-walk';
import { useWalk } from './use-walk';

const SHIPPED = import.meta.glob<string>('../../../core/walks/*.yaml', {
  query: '?raw',
  import: 'default',
  eager: true,
});
const nameOf = (path: string): string => path.split('/').at(-1)!.replace('.yaml', '');

/** A walk: read it, change it, take it step by step or whole. */
export function WalksPage() {
  const [text, setText] = useState(() => keptWalk() ?? Object.values(SHIPPED)[0] ?? '');
  const walk = useWalk(text);
  const change = (next: string) => {
    setText(next);
    keepWalk(next);
    walk.reset();
  };
  // Who came and went is no step; only where it fails is it more than a word.
  const joined = [
    ...new Set(walk.outcomes.filter(({ n, met }) => n === 0 && met).map(({ step }) => step.replace(/ joins$/, ''))),
  ];
  const left = walk.outcomes.filter(({ n, met }) => n === -1 && met).length;
  const chosen = Object.entries(SHIPPED).find(([, shipped]) => shipped === text)?.[0] ?? '';
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Box sx={{ flex: '1 1 320px' }}>
          <Typography variant="h1">Walks</Typography>
          <Typography color="text.secondary">
            Calls one after another, with what is expected of each. The same file runs in a pipeline:{' '}
            <code>gather-lane walk FILE</code>.
          </Typography>
        </Box>
        <Button component={RouterLink} to="/calls" variant="outlined">
          Calls
        </Button>
      </Stack>
      <Box
        sx={{
          display: 'grid',
          gap: 2,
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'minmax(0, 1fr) minmax(0, 1fr)' },
          alignItems: 'start',
        }}
      >
        <Stack sx={{ gap: 1.5 }}>
          <TextField
            select
            label="Walks that come with Gather Lane"
            value={chosen}
            onChange={(event) => change(SHIPPED[event.target.value] ?? text)}
          >
            {chosen === '' && <MenuItem value="">one of your own</MenuItem>}
            {Object.entries(SHIPPED).map(([path, shipped]) => (
              <MenuItem key={path} value={path}>
                {/^walk: (.*)$/m.exec(shipped)?.[1] ?? nameOf(path)}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Walk"
            multiline
            minRows={12}
            maxRows={28}
            value={text}
            onChange={(event) => change(event.target.value)}
            slotProps={{
              htmlInput: {
                spellCheck: false,
                style: { fontFamily: 'ui-monospace, monospace', fontSize: 12.5, lineHeight: 1.45 },
              },
            }}
          />
          <Button component="label" sx={{ alignSelf: 'start' }}>
            Open a file
            <input
              type="file"
              accept=".yaml,.yml"
              hidden
              onChange={(event) => {
                const file = event.target.files?.[0];
                event.target.value = '';
                if (file) void file.text().then(change);
              }}
            />
          </Button>
        </Stack>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          {isForOperator(walk.unread) && (
            <OperatorOnly title="Walks are taken by the operator">They look at rows.</OperatorOnly>
          )}
          {walk.unread !== null && !isForOperator(walk.unread) && <Failed error={walk.unread} />}
          {walk.faults.map(({ line, where, says }) => (
            <Alert key={`${where} ${says}`} severity="error" variant="outlined">
              {line !== null && `Line ${line}: `}
              {where === '' ? 'the walk' : where} {says}
            </Alert>
          ))}
          <Stack direction="row" sx={{ gap: 1, flexWrap: 'wrap', alignItems: 'center' }}>
            <Button
              variant="contained"
              disabled={walk.faults.length > 0 || walk.walk === null}
              loading={walk.busy}
              onClick={() => void walk.whole()}
            >
              {walk.outcomes.length === 0 ? 'Take all steps' : walk.done ? 'Once more' : 'Take the others'}
            </Button>
            <Button
              variant="outlined"
              disabled={walk.faults.length > 0 || walk.busy || walk.done || walk.walk === null}
              onClick={() => void walk.next()}
            >
              Next step
            </Button>
            {walk.outcomes.length > 0 && !walk.done && (
              <Button disabled={walk.busy} onClick={() => void walk.stop()}>
                Stop, and remove its people
              </Button>
            )}
          </Stack>
          {walk.error && <Alert severity="error">{walk.error}</Alert>}
          {walk.outcomes.length === 0 && walk.faults.length === 0 && (
            <Typography color="text.secondary">
              {walk.walk ? `${walk.walk.steps.length} steps` : ''}
              {walk.walk &&
                (walk.walk.people ?? []).length > 0 &&
                `; it makes ${walk.walk.people!.join(', ')}, and removes them at its end.`}
            </Typography>
          )}
          <Stack role="list" aria-label="Steps" sx={{ gap: 0.75 }}>
            {joined.length > 0 && (
              <Typography color="text.secondary" role="listitem">
                {joined.join(', ')} joined{walk.done && left === joined.length ? ', and left' : ''}
              </Typography>
            )}
            {walk.outcomes
              .filter(({ n, met }) => n > 0 || !met)
              .map((outcome, i) => (
                <Step key={i} outcome={outcome} />
              ))}
          </Stack>
          {walk.done && walk.outcomes.length > 0 && (
            <Alert severity={walk.outcomes.every(({ met }) => met) ? 'success' : 'error'} variant="outlined">
              {walk.outcomes.every(({ met }) => met)
                ? 'Every step was met.'
                : 'A step was not met; those after it were not taken.'}
            </Alert>
          )}
        </Stack>
      </Box>
    </Stack>
  );
}

function Step({
  outcome: { n, step, as, call, status, ms, met, differences, fault, trace },
}: {
  outcome: StepOutcome;
}) {
  return (
    <Card role="listitem" sx={{ px: 1.5, py: 0.75, borderColor: met ? undefined : 'error.main' }}>
      <Stack direction="row" sx={{ gap: 1, alignItems: 'center' }}>
        {met ? (
          <Icon outline={mdiCheckCircleOutline} color="success" fontSize="small" titleAccess="met" />
        ) : (
          <Icon outline={mdiCloseCircleOutline} color="error" fontSize="small" titleAccess="not met" />
        )}
        <Box sx={{ minWidth: 0, flex: 1 }}>
          <Typography sx={{ lineHeight: 1.3 }}>
            {n > 0 && `${n}. `}
            {step || `${as} calls`}
          </Typography>
          <Typography
            variant="caption"
            color="text.secondary"
            component="div"
            sx={{ overflowWrap: 'anywhere', lineHeight: 1.3 }}
          >
            {as}: {call.replace(/[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{6}([0-9a-f]{6})/g, '…$1')}
          </Typography>
        </Box>
        <Typography variant="body2" color="text.secondary" sx={{ whiteSpace: 'nowrap' }}>
          {trace && n > 0 ? (
            <Link component={RouterLink} to={`/calls/${trace}`}>
              {status}
            </Link>
          ) : (
            status
          )}{' '}
          · {ms.toFixed(0)} ms
        </Typography>
      </Stack>
      {fault !== null && <Typography color="error">{fault}</Typography>}
      {differences.map(({ at, expected, came }) => (
        <Box key={at} sx={{ mt: 0.75, fontSize: 13, overflowWrap: 'anywhere' }}>
          <Box sx={{ fontWeight: 650 }}>{at}</Box>
          <Box sx={{ color: 'success.main' }}>expected {JSON.stringify(expected)}</Box>
          <Box sx={{ color: 'error.main' }}>came {came === undefined ? 'nothing' : JSON.stringify(came)}</Box>
        </Box>
      ))}
    </Card>
  );
}
