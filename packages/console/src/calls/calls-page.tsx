import { Box, Button, Stack, Tab, Tabs, Typography } from '@mui/material';
import { useMemo } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { CallBench } from './call-bench';
import { useHistory } from './history';
import { HistoryList } from './history-list';
import { OperationList } from './operation-list';
import { nameOf, useApi } from './use-api';

/** Make a call as somebody, and see what it did. */
export function CallsPage() {
  const api = useApi();
  const history = useHistory();
  const [search, setSearch] = useSearchParams();
  const chosen = search.get('call');
  const again = Number(search.get('again') ?? 0);
  const side = search.get('side') === 'history' ? 'history' : 'operations';
  const set = (changes: Readonly<Record<string, string | null>>) =>
    setSearch((before) => {
      const next = new URLSearchParams(before);
      for (const [name, value] of Object.entries(changes)) {
        if (value === null) next.delete(name);
        else next.set(name, value);
      }
      return next;
    });
  const found = api.data?.operations.find((operation) => nameOf(operation) === chosen) ?? null;
  const repeated = useMemo(() => history.find(({ n }) => n === again) ?? null, [again, history]);
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Box sx={{ flex: '1 1 320px' }}>
          <Typography variant="h1">Calls</Typography>
          <Typography color="text.secondary">
            Make a call as anybody, see its statements and the rows that it changed, and the same call as somebody else.
          </Typography>
        </Box>
        <Button component={RouterLink} to="/walks" variant="outlined">
          Walks
        </Button>
      </Stack>
      {api.isPending && <LoadingPosts count={2} />}
      {api.isError && <Failed error={api.error} retry={() => void api.refetch()} />}
      {api.data && (
        <Box
          sx={{
            display: 'grid',
            gap: 2,
            gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: '250px minmax(0, 1fr)' },
            alignItems: 'start',
          }}
        >
          <Stack sx={{ gap: 1, minWidth: 0, position: { md: 'sticky' }, top: { md: 76 } }}>
            <Tabs
              value={side}
              onChange={(_, value: string) => set({ side: value === 'history' ? value : null })}
              aria-label="What to call"
              sx={{ 'minHeight': 36, '& .MuiTab-root': { minHeight: 36, py: 0.5, minWidth: 0 } }}
            >
              <Tab value="operations" label="Operations" />
              <Tab value="history" label={`History${history.length > 0 ? ` (${history.length})` : ''}`} />
            </Tabs>
            {side === 'operations' ? (
              <OperationList
                api={api.data}
                history={history}
                chosen={chosen}
                choose={(name) => set({ call: name, again: null })}
              />
            ) : (
              <HistoryList
                history={history}
                repeat={({ n, operation }) => set({ call: operation, again: String(n) })}
              />
            )}
          </Stack>
          {found ? (
            <CallBench key={`${chosen} ${again}`} api={api.data} found={found} history={history} repeated={repeated} />
          ) : (
            <Empty title={chosen === null ? 'Choose what to call' : 'There is no such operation'}>
              Search by words or by a part of the path: “follow”, “posts/”. What was called lately comes first.
            </Empty>
          )}
        </Box>
      )}
    </Stack>
  );
}
