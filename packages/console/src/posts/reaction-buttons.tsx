import { mdiThumbDown, mdiThumbDownOutline, mdiThumbUp, mdiThumbUpOutline } from '@mdi/js';
import { Button, Tooltip } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { useSession } from '../session/session';
import { patchEverywhere } from './patch-posts';

/** What can be reacted to, as lists hold it. */
interface Reactable {
  readonly id: string;
  readonly reaction: string | null;
  readonly tallies: { readonly reactions: Record<string, number>; readonly net: number };
}

const ICONS: Record<string, [on: string, off: string]> = {
  like: [mdiThumbUp, mdiThumbUpOutline],
  dislike: [mdiThumbDown, mdiThumbDownOutline],
};

/** The counts as they will be once a reaction is another. */
export function predicted({ reaction, tallies }: Reactable, kind: string | null): Record<string, number> {
  const counts = { ...tallies.reactions };
  if (reaction !== null) counts[reaction] = (counts[reaction] ?? 1) - 1;
  if (kind !== null) counts[kind] = (counts[kind] ?? 0) + 1;
  return Object.fromEntries(Object.entries(counts).filter(([, n]) => n > 0));
}

/** A button for each kind of reaction. It shows at once what will be, and takes it back where the service refuses. */
export function ReactionButtons({ thing, on }: { thing: Reactable; on: 'post' | 'comment' }) {
  const { about, session, askSignIn } = useSession();
  const queryClient = useQueryClient();
  const tell = useNotice();
  const change = useMutation({
    mutationFn: (kind: string | null) => send(on, thing.id, kind),
    onMutate: (kind) => {
      const { reaction, tallies } = thing;
      const reactions = predicted(thing, kind);
      patchEverywhere(queryClient, thing.id, (each) => ({
        ...each,
        reaction: kind,
        tallies: { ...tallies, reactions },
      }));
      return { reaction, tallies };
    },
    onSuccess: ({ reaction, tallies, changed, ...rest }) => {
      patchEverywhere(queryClient, thing.id, (each) => ({
        ...each,
        reaction,
        tallies,
        ...('laneTime' in rest && { laneTime: rest.laneTime }),
      }));
      if (!changed) tell('It was so already: nothing changed.');
      void queryClient.invalidateQueries({ queryKey: ['reactions', thing.id] });
    },
    onError: (error, _kind, before) => {
      patchEverywhere(queryClient, thing.id, (each) => ({ ...each, ...before }));
      tell(errorText(error), 'error');
    },
  });
  return (about?.reactions ?? []).map(({ name, label }) => {
    const own = thing.reaction === name;
    const outline = ICONS[name]?.[own ? 0 : 1];
    const count = thing.tallies.reactions[name] ?? 0;
    return (
      <Tooltip key={name} title={own ? `${label}: take it back` : label}>
        <Button
          color={own ? 'primary' : 'inherit'}
          startIcon={outline && <Icon outline={outline} />}
          aria-pressed={own}
          aria-label={`${label}, ${count}`}
          disabled={change.isPending}
          onClick={() => (session ? change.mutate(own ? null : name) : askSignIn())}
          sx={{ minWidth: 0, ...(!own && { color: 'text.secondary' }) }}
        >
          {outline ? count : `${label} ${count}`}
        </Button>
      </Tooltip>
    );
  });
}

async function send(on: 'post' | 'comment', id: string, kind: string | null) {
  if (on === 'post') {
    const params = { path: { post: id } };
    return kind === null
      ? unwrap(await api.DELETE('/v1/posts/{post}/reaction', { params }))
      : unwrap(await api.PUT('/v1/posts/{post}/reaction', { params, body: { kind } }));
  }
  const params = { path: { comment: id } };
  return kind === null
    ? unwrap(await api.DELETE('/v1/comments/{comment}/reaction', { params }))
    : unwrap(await api.PUT('/v1/comments/{comment}/reaction', { params, body: { kind } }));
}
