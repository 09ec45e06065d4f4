import { Card, FormControlLabel, FormGroup, Switch, Typography } from '@mui/material';
import type { NotificationChoices } from '@gather-lane/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText, Failed } from '../common/states';

const WORDS: Record<keyof NotificationChoices, string> = {
  mentioned: 'Somebody mentions you',
  replied: 'Somebody replies to your comment',
  commented: 'Somebody comments on your post',
  watched: 'A comment on a post that you watch',
  reacted: 'Somebody reacts to what you wrote',
  followed: 'Somebody follows you',
};

/** Of what somebody wants to be told. */
export function ChoicesCard({ viewer }: { viewer: string }) {
  const tell = useNotice();
  const queryClient = useQueryClient();
  const key = ['notification choices', viewer];
  const choices = useQuery({
    queryKey: key,
    queryFn: async () => unwrap(await api.GET('/v1/me/notification-choices')),
  });
  const choose = useMutation({
    mutationFn: async (change: Partial<NotificationChoices>) =>
      unwrap(await api.PATCH('/v1/me/notification-choices', { body: change })),
    onSuccess: (now) => queryClient.setQueryData(key, now),
    onError: (error) => tell(errorText(error), 'error'),
  });
  return (
    <Card component="section" aria-label="What you are told of" sx={{ p: 2 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What you are told of
      </Typography>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        From now on. A mention that is off is told as the reply or comment that it is.
      </Typography>
      {choices.isError && <Failed error={choices.error} retry={() => void choices.refetch()} />}
      <FormGroup>
        {(Object.keys(WORDS) as (keyof NotificationChoices)[]).map((kind) => (
          <FormControlLabel
            key={kind}
            label={WORDS[kind]}
            control={
              <Switch
                size="small"
                disabled={!choices.data || choose.isPending}
                checked={choices.data?.[kind] ?? true}
                onChange={(_, on) => choose.mutate({ [kind]: on })}
              />
            }
          />
        ))}
      </FormGroup>
    </Card>
  );
}
