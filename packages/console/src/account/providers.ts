import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';

/** Through whom one may sign in. */
export const useProviders = () =>
  useQuery({
    queryKey: ['providers'],
    staleTime: Infinity,
    queryFn: async () => unwrap(await api.GET('/v1/providers')).items,
  });

const KEY = 'gather-lane-sign-in';

/** A sign-in that this browser began at a provider. */
export interface BegunSignIn {
  readonly ticket: string;
  readonly links: boolean;
}

/** Begins to sign in at a provider, or to link its identity, and goes there. */
export async function goToProvider(provider: string, links: boolean): Promise<void> {
  const begun = unwrap(
    await (links
      ? api.POST('/v1/me/identities', { body: { provider } })
      : api.POST('/v1/provider-sign-ins', { body: { provider } })),
  );
  // Only the browser that began it can end it.
  sessionStorage.setItem(KEY, JSON.stringify({ ticket: begun.ticket, links } satisfies BegunSignIn));
  window.location.assign(begun.url);
}

/** Takes the sign-in that this browser began; it is there once. */
export function takeBegun(): BegunSignIn | null {
  const text = sessionStorage.getItem(KEY);
  sessionStorage.removeItem(KEY);
  return text ? (JSON.parse(text) as BegunSignIn) : null;
}
