import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useSession } from '../session/session';

/** How many notifications whom the console acts as has not seen: asked once, then told as it changes. */
export function useUnseen() {
  const { session } = useSession();
  const { data } = useQuery({
    queryKey: ['unseen', session?.id],
    enabled: session !== null,
    queryFn: async () => unwrap(await api.GET('/v1/notifications/unseen')),
    // The stream tells it; this is for a browser that keeps none open.
    refetchInterval: 60_000,
  });
  return session ? (data ?? null) : null;
}
