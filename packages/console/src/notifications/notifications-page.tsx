import { mdiRefresh } from '@mdi/js';
import { Box, Button, Card, MenuItem, Stack, TextField, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { useSearchParams } from 'react-router';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { usePages } from '../common/use-pages';
import { useLive } from '../live/live';
import { useSession } from '../session/session';
import { ChoicesCard } from './choices-card';
import { NotificationRow } from './notification-row';

const PAGE = 20;
const KINDS = [
  ['', 'Everything'],
  ['mentioned,replied', 'Mentions and replies'],
  ['commented,watched', 'Comments'],
  ['reacted', 'Reactions'],
  ['followed', 'Followers'],
] as const;

/** What whom the console acts as is told. */
export function NotificationsPage() {
  const { session, askSignIn } = useSession();
  return (
    <Box>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Notifications
      </Typography>
      {session ? (
        <Box sx={{ display: 'grid', gap: 3, alignItems: 'start', gridTemplateColumns: { md: 'minmax(0, 1fr) 320px' } }}>
          <List key={session.id} viewer={session.id} />
          <ChoicesCard viewer={session.id} />
        </Box>
      ) : (
        <Empty title="Nobody is signed in">
          Notifications belong to somebody. Choose whom to act as in the bar above, or{' '}
          <Button onClick={() => askSignIn()} sx={{ verticalAlign: 'baseline' }}>
            sign in
          </Button>
        </Empty>
      )}
    </Box>
  );
}

function List({ viewer }: { viewer: string }) {
  const [parameters, setParameters] = useSearchParams();
  const kinds = parameters.get('kinds') ?? '';
  const { list, pages, items } = usePages(['notifications', viewer, kinds], async (from, signal) =>
    unwrap(
      await api.GET('/v1/notifications', {
        params: { query: { limit: PAGE, ...(kinds && { kinds }), ...from } },
        signal,
      }),
    ),
  );
  const through = pages[0]?.through;
  useMarkOnLeaving(viewer, through);
  const { latest } = useLive();
  // It grew, or came, since the list was read: what is read does not move by itself.
  const isNewer = latest !== null && !items.some(({ id, at }) => id === latest.id && at >= latest.at);
  return (
    <Stack component="section" aria-label="Notifications" sx={{ gap: 1.5, minWidth: 0 }}>
      <Stack direction="row" sx={{ gap: 1, alignItems: 'center', flexWrap: 'wrap' }}>
        <TextField
          select
          size="small"
          label="Show"
          value={kinds}
          sx={{ minWidth: 190 }}
          onChange={(event) => setParameters(event.target.value ? { kinds: event.target.value } : {})}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          {KINDS.map(([value, name]) => (
            <MenuItem key={value} value={value}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <Box sx={{ flexGrow: 1 }} />
        <Button
          startIcon={<Icon outline={mdiRefresh} />}
          loading={list.isRefetching}
          onClick={() => void list.refetch()}
        >
          {isNewer ? 'Show what is new' : 'Refresh'}
        </Button>
      </Stack>
      {list.isPending && <LoadingPosts />}
      {list.isError && items.length === 0 && <Failed error={list.error} retry={() => void list.refetch()} />}
      {list.isSuccess && items.length === 0 && (
        <Empty title="Nothing yet">
          {kinds
            ? 'Nothing of this kind: choose another.'
            : 'When somebody follows you, or reacts to, answers or mentions you, you are told here, once.'}
        </Empty>
      )}
      {items.length > 0 && (
        <Card component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
          {items.map((notification) => (
            <NotificationRow key={notification.id} notification={notification} />
          ))}
        </Card>
      )}
      {items.length > 0 && list.isError && <Failed error={list.error} retry={() => void list.fetchNextPage()} />}
      {list.hasNextPage && !list.isError && (
        <Button variant="outlined" loading={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
          Load more
        </Button>
      )}
    </Stack>
  );
}

/** While one looks, what is new stays marked; once one leaves, all that the list could show is seen, on every device. */
function useMarkOnLeaving(viewer: string, through: string | undefined): void {
  const queryClient = useQueryClient();
  const latest = useRef(through);
  useEffect(() => {
    latest.current = through;
  }, [through]);
  useEffect(() => {
    const mark = async () => {
      if (!latest.current) return;
      const body = { through: latest.current };
      // Also as the page goes away.
      const { data } = await api.PUT('/v1/notifications/seen', { body, keepalive: true });
      if (data) queryClient.setQueryData(['unseen', viewer], data);
      queryClient.removeQueries({ queryKey: ['notifications', viewer] });
    };
    const leave = () => void mark().catch(() => undefined);
    window.addEventListener('pagehide', leave);
    return () => {
      window.removeEventListener('pagehide', leave);
      leave();
    };
  }, [viewer, queryClient]);
}
