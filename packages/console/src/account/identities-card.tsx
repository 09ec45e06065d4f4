import { Button, Stack, Typography } from '@mui/material';
import { useMutation, useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useRefreshLists } from '../posts/use-changes';
import { goToProvider, useProviders } from './providers';
import { Section } from './section';

/** Who one is elsewhere, with ways to link and unlink. */
export function IdentitiesCard() {
  const tell = useNotice();
  const refresh = useRefreshLists();
  const providers = useProviders();
  const identities = useQuery({
    queryKey: ['identities'],
    queryFn: async () => unwrap(await api.GET('/v1/me/identities')).items,
  });
  const failed = (error: unknown) => tell(errorText(error), 'error');
  const link = useMutation({ mutationFn: (provider: string) => goToProvider(provider, true), onError: failed });
  const unlink = useMutation({
    mutationFn: async (identity: string) => {
      unwrap(await api.DELETE('/v1/me/identities/{identity}', { params: { path: { identity } } }));
      await refresh();
    },
    onError: failed,
  });
  if (providers.data?.length === 0 && identities.data?.length === 0) return null;
  const titleOf = (issuer: string) => providers.data?.find((provider) => provider.issuer === issuer)?.title ?? issuer;
  const linked = new Set(identities.data?.map(({ issuer }) => issuer));
  return (
    <Section title="Signing in elsewhere">
      <Stack sx={{ gap: 1 }}>
        {identities.data?.map(({ id, issuer, subject }) => (
          <Stack key={id} direction="row" sx={{ gap: 2, alignItems: 'center' }}>
            <Typography sx={{ flexGrow: 1, overflowWrap: 'anywhere' }}>
              {titleOf(issuer)}, as {subject}
            </Typography>
            <Button onClick={() => unlink.mutate(id)}>Unlink</Button>
          </Stack>
        ))}
        {providers.data
          ?.filter(({ issuer }) => !linked.has(issuer))
          .map(({ name, title }) => (
            <Button
              key={name}
              variant="outlined"
              loading={link.isPending}
              onClick={() => link.mutate(name)}
              sx={{ alignSelf: 'start' }}
            >
              Link {title}
            </Button>
          ))}
      </Stack>
    </Section>
  );
}
