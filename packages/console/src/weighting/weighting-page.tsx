import { Box, Skeleton, Stack, Typography } from '@mui/material';
import type { Weighting } from '@gather-lane/client';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { isForOperator, OperatorOnly } from '../session/operator-only';
import { useSession } from '../session/session';
import { AdoptDialog } from './adopt-dialog';
import { Controls } from './controls';
import { Building, HistoryCard } from './history-card';
import { isSame, readNumbers, type Numbers } from './numbers';
import { SampleCard } from './sample-card';
import { Slope } from './slope';

const DEPTH = 15;
const SAMPLE = 20;
const SETTLED_MS = 300;
const BUILDING_MS = 700;
const QUIET_MS = 15_000;

/** Trying other numbers behind lane time, adopting them, and those of before. */
export function WeightingPage() {
  const weightings = useQuery({
    queryKey: ['weightings'],
    queryFn: async () => unwrap(await api.GET('/v1/operator/weightings')).items,
    refetchInterval: ({ state }) => (state.data?.some((each) => each.state === 'building') ? BUILDING_MS : QUIET_MS),
  });
  const locked = isForOperator(weightings.error);
  const inForce = weightings.data?.find(({ state }) => state === 'in-force');
  return (
    <Stack sx={{ gap: 3 }}>
      <Box>
        <Typography variant="h1">Weighting</Typography>
        <Typography color="text.secondary">
          The numbers behind lane time. Try others on real feeds; nothing changes for anybody until you adopt them.
        </Typography>
      </Box>
      {weightings.isPending && <LoadingPosts count={2} />}
      {locked && (
        <OperatorOnly title="The weighting is for the operator">It decides where every post stands.</OperatorOnly>
      )}
      {weightings.isError && !locked && <Failed error={weightings.error} retry={() => void weightings.refetch()} />}
      {inForce && <Trial key={inForce.id} inForce={inForce} weightings={weightings.data!} />}
    </Stack>
  );
}

function Trial({ inForce, weightings }: { inForce: Weighting; weightings: Weighting[] }) {
  const { session, about } = useSession();
  const [parameters, setParameters] = useSearchParams();
  const [numbers, setNumbers] = useState<Numbers>({
    halfLifeMs: inForce.halfLifeMs,
    base: inForce.base,
    weights: inForce.weights,
  });
  const [adopting, setAdopting] = useState<{ numbers: Numbers; earlier: number | null } | null>(null);
  const viewer = parameters.get('viewer') ?? session?.handle ?? about?.demo?.users[0]?.handle ?? '';
  const settled = useSettled(numbers);
  const trial = useQuery({
    queryKey: ['trial', inForce.id, viewer, settled],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.POST('/v1/operator/weighting-trials', {
          body: { ...settled, depth: DEPTH, sample: SAMPLE, ...(viewer && { viewer: `@${viewer}` }) },
        }),
      ),
  });
  const building = weightings.find(({ state }) => state === 'building');
  return (
    <>
      {building && <Building weighting={building} />}
      <Box sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr', md: '300px 1fr' }, gap: 2, alignItems: 'start' }}>
        <Controls
          key={viewer}
          numbers={numbers}
          inForce={inForce}
          viewer={viewer}
          onNumbers={setNumbers}
          onViewer={(handle) => setParameters(handle ? { viewer: handle } : {}, { replace: true })}
          onAdopt={() => setAdopting({ numbers, earlier: null })}
        />
        <Stack sx={{ gap: 2, minWidth: 0, opacity: trial.isPlaceholderData ? 0.7 : 1 }}>
          <Typography variant="body2" color="text.secondary">
            In force: {readNumbers(inForce)}.{' '}
            {isSame(numbers, inForce) && 'Move a slider to see what other numbers would do.'}
          </Typography>
          {trial.isPending && <Skeleton variant="rounded" height={320} />}
          {trial.isError && <Failed error={trial.error} retry={() => void trial.refetch()} />}
          {trial.data?.viewer && <Slope viewer={trial.data.viewer} />}
        </Stack>
      </Box>
      {trial.data?.sample && <SampleCard sample={trial.data.sample} />}
      <HistoryCard
        weightings={weightings}
        onBack={(id) => setAdopting({ numbers: weightings.find((each) => each.id === id)!, earlier: id })}
      />
      {adopting && <AdoptDialog {...adopting} onClose={() => setAdopting(null)} />}
    </>
  );
}

/** A value once it has not changed for a moment: sliders move faster than feeds are compared. */
function useSettled<T>(value: T): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), SETTLED_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return settled;
}
