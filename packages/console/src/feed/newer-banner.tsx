import { Alert, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';

const EVERY_MS = 15_000;

/** Says what has come above where this scroll began. */
export function NewerBanner({ first, onShow }: { first: string; onShow: () => void }) {
  const { data } = useQuery({
    queryKey: ['newer', first],
    refetchInterval: EVERY_MS,
    queryFn: async () => unwrap(await api.GET('/v1/feeds/following/newer', { params: { query: { than: first } } })),
  });
  if (!data || (data.new === 0 && data.risen === 0 && !data.reordered)) return null;
  const more = data.more ? ' and more' : '';
  const parts = [data.new > 0 && `${data.new} new`, data.risen > 0 && `${data.risen} risen`].filter(Boolean).join(', ');
  return (
    <Alert
      severity="info"
      variant="outlined"
      action={
        <Button color="inherit" onClick={onShow}>
          Show
        </Button>
      }
    >
      {data.reordered ? 'The weighting changed, so the order did.' : `${parts}${more} since you began to read.`}
    </Alert>
  );
}
