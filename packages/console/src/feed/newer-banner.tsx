import { mdiArrowUp } from '@mdi/js';
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import type { Newer } from '@gather-lane/client';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { useLive } from '../live/live';

/** For a browser that keeps no stream open. */
const EVERY_MS = 60_000;

/** Says how much came above where this scroll began, over what is read: it moves nothing. */
export function NewerBanner({ first, onShow }: { first: string; onShow: () => void }) {
  const { countAbove } = useLive();
  useEffect(() => countAbove(first), [countAbove, first]);
  const { data } = useQuery({
    queryKey: ['newer', first],
    refetchInterval: EVERY_MS,
    queryFn: async () => unwrap(await api.GET('/v1/feeds/following/newer', { params: { query: { than: first } } })),
  });
  const text = data && sayNewer(data);
  return (
    <Box
      role="status"
      sx={{
        position: 'fixed',
        bottom: 24,
        left: 0,
        right: 0,
        zIndex: 4,
        display: 'flex',
        justifyContent: 'center',
        pointerEvents: 'none',
      }}
    >
      {text && (
        <Button
          variant="contained"
          startIcon={<Icon outline={mdiArrowUp} />}
          sx={{ borderRadius: 5, pointerEvents: 'auto' }}
          onClick={() => {
            window.scrollTo({ top: 0 });
            onShow();
          }}
        >
          {text}
        </Button>
      )}
    </Box>
  );
}

/** `12 newer posts`; null where there is nothing to say. */
function sayNewer({ new: made, risen, more, reordered }: Newer): string | null {
  if (reordered) return 'The weighting changed, so the order did';
  const plus = more ? ' and more' : '';
  if (made > 0 && risen > 0) return `${made} newer, ${risen} risen${plus}`;
  if (made > 0) return `${made} newer ${made === 1 ? 'post' : 'posts'}${plus}`;
  return risen > 0 ? `${risen} risen${plus}` : null;
}
