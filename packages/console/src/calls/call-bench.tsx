import { Alert, Box, Button, Card, Chip, Stack, Typography } from '@mui/material';
import type { CallOutcomes } from '@gather-lane/client';
import type { FoundOperation } from '@gather-lane/core/calls';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { api as client, unwrap } from '../api';
import { errorText } from '../common/states';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { useSession } from '../session/session';
import { CallForm } from './call-form';
import { CallerPicker } from './caller-picker';
import { Comparison } from './comparison';
import { CopyMenu } from './copy-menu';
import { EMPTY, toSent, type CallerChoice, type Draft } from './draft';
import { knownIds, remember, type MadeHere } from './history';
import { OutcomePanel } from './outcome-panel';
import { SameCallAs } from './same-call-as';
import { TraceView } from './trace-view';
import { nameOf, type Api } from './use-api';
import { useFaults } from './use-faults';

type Outcome = CallOutcomes['outcomes'][number];

/** One operation: who calls, what is sent, what came back and what it did. */
export function CallBench({
  api,
  found,
  history,
  repeated,
}: {
  api: Api;
  found: FoundOperation;
  history: readonly MadeHere[];
  repeated: MadeHere | null;
}) {
  const { session } = useSession();
  const queryClient = useQueryClient();
  const [caller, setCaller] = useState<CallerChoice>(
    () => repeated?.caller ?? usualCaller(found, session?.handle ?? null),
  );
  const [draft, setDraft] = useState<Draft>(() => repeated?.draft ?? EMPTY);
  const [outcome, setOutcome] = useState<Outcome | null>(null);
  const [compared, setCompared] = useState<readonly Outcome[] | null>(null);
  const faults = useFaults(found, draft);
  const ids = useMemo(() => knownIds(history), [history]);
  const make = async (callers: readonly CallerChoice[], keep: boolean): Promise<readonly Outcome[]> => {
    const { method, path, headers, body } = toSent(found, draft);
    const wish = {
      method: method as 'GET',
      path,
      headers,
      ...(body !== undefined && { body }),
      callers: [...callers],
      keep,
    };
    return unwrap(await client.POST('/v1/operator/calls', { body: wish })).outcomes;
  };
  const send = useMutation({
    // Nobody is blocked only to see it: that is rolled back.
    mutationFn: () => make([caller], caller.as !== 'blocked'),
    onSuccess: ([made]) => {
      setOutcome(made!);
      setCompared(null);
      const { path } = toSent(found, draft);
      if (made!.says === null)
        remember({
          operation: nameOf(found),
          path,
          caller,
          userId: made!.trace?.caller.id ?? null,
          draft,
          status: made!.status,
          reply: made!.body,
          trace: made!.trace?.id ?? null,
        });
      // What is shown elsewhere may be another now.
      if (found.method !== 'GET')
        void queryClient.invalidateQueries({
          predicate: ({ queryKey }) => !['about', 'api-document'].includes(String(queryKey[0])),
        });
    },
  });
  const compare = useMutation({
    mutationFn: (callers: readonly CallerChoice[]) => make(callers, false),
    onSuccess: (outcomes) => {
      setCompared(outcomes);
      setOutcome(null);
    },
  });
  const error = send.error ?? compare.error;
  const { operation } = found;
  return (
    <Stack sx={{ gap: 2, minWidth: 0 }}>
      <Box
        sx={{
          display: 'grid',
          gap: 2,
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 1fr) minmax(0, 1fr)' },
          alignItems: 'start',
        }}
      >
        <Card
          component="form"
          sx={{ p: 2, minWidth: 0 }}
          onSubmit={(event) => {
            event.preventDefault();
            send.mutate();
          }}
        >
          <Stack sx={{ gap: 1.5 }}>
            <Stack sx={{ gap: 0.25 }}>
              <Typography variant="h2" sx={{ overflowWrap: 'anywhere' }}>
                {found.method} {found.template}
              </Typography>
              <Typography color="text.secondary">{operation.summary}</Typography>
              <Stack direction="row" sx={{ gap: 0.75, flexWrap: 'wrap', mt: 0.5 }}>
                <Chip size="small" variant="outlined" label={`for: ${operation['x-doorway'] ?? 'anyone'}`} />
                {operation['x-lasting'] !== undefined && (
                  <Chip
                    size="small"
                    variant="outlined"
                    color="warning"
                    label={`not rolled back: ${operation['x-lasting']}`}
                  />
                )}
              </Stack>
            </Stack>
            <CallerPicker value={caller} onChange={setCaller} />
            <CallForm api={api} found={found} draft={draft} onChange={setDraft} faults={faults} ids={ids} />
            <Stack direction="row" sx={{ gap: 1, flexWrap: 'wrap', alignItems: 'center' }}>
              <Button type="submit" variant="contained" loading={send.isPending}>
                Send
              </Button>
              <SameCallAs caller={caller} busy={compare.isPending} compare={(callers) => compare.mutate(callers)} />
              <Box sx={{ flexGrow: 1 }} />
              <CopyMenu found={found} draft={draft} caller={caller} />
            </Stack>
            {faults.length > 0 && (draft.body !== '' || Object.values(draft.parameters).some(Boolean)) && (
              <Typography variant="caption" color="text.secondary">
                What is marked would be refused; it can be sent all the same.
              </Typography>
            )}
          </Stack>
        </Card>
        <Box sx={{ minWidth: 0 }}>
          {error && isForOperator(error) && (
            <OperatorOnly title="Calls are made by the operator">They are made in the name of others.</OperatorOnly>
          )}
          {error && !isForOperator(error) && <Alert severity="error">{errorText(error)}</Alert>}
          {!error && outcome && <OutcomePanel outcome={outcome} />}
          {!error && !outcome && !compared && (
            <Typography color="text.secondary" sx={{ p: 2 }}>
              What comes back stands here; below it, what the call did to the database.
            </Typography>
          )}
          {!error && compared && (
            <Typography color="text.secondary" sx={{ p: 2 }}>
              Compared below: each call was made on the same state, in a transaction that was rolled back. Nothing was
              changed.
            </Typography>
          )}
        </Box>
      </Box>
      {!error && outcome?.trace && (
        <Box role="region" aria-label="What the call did">
          <TraceView trace={outcome.trace} />
        </Box>
      )}
      {!error && compared && <Comparison outcomes={compared} />}
    </Stack>
  );
}

/** Who would make such a call: the operator what is the operator's, else whom the console acts as. */
function usualCaller({ operation }: FoundOperation, handle: string | null): CallerChoice {
  if (operation['x-doorway'] === 'operator') return { as: 'operator' };
  return handle === null ? { as: 'nobody' } : { as: 'user', user: `@${handle}` };
}
